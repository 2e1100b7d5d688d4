/** What is new in a delivery, and the answers to it. */
import { api, unwrap, type Schemas } from '@/api/client'
import { useMutation, useQuery, useQueryClient } from '@tanstack/vue-query'
import { computed, type Ref } from 'vue'

export type Novelty = Schemas['AnsweredNovelty']
export type Answer = Schemas['AnswerIn']['answer']

type NewsOut = Schemas['NewsOut']
interface Answering {
  novelty: string
  answer: Answer | ''
  word: string
}

/** The news with one of them answered, or its answer taken back. */
function answered(news: NewsOut, { novelty, answer, word }: Answering): NewsOut {
  const mended = (all: Novelty[]) =>
    all.map((each) => (each.id === novelty ? { ...each, answer, word, by: '', at: null } : each))
  return { ...news, news: mended(news.news), usual: mended(news.usual) }
}

export function useNews(id: Ref<number>) {
  const queries = useQueryClient()
  const path = computed(() => ({ delivery_id: id.value }))
  const { data, error, isLoading } = useQuery({
    queryKey: ['news', id],
    queryFn: () => unwrap(api.GET('/api/deliveries/{delivery_id}/news', { params: { path: path.value } })),
    enabled: () => id.value > 0,
  })
  const key = computed(() => ['news', id.value])
  /** The answer stands on the page at once: who answers one after the other does not wait for the server. */
  const ask = useMutation({
    mutationKey: ['answer news'],
    mutationFn: ({ novelty, answer, word }: Answering) => {
      const params = { path: { ...path.value, novelty } }
      return unwrap(
        answer
          ? api.PUT('/api/deliveries/{delivery_id}/news/{novelty}', { params, body: { answer, word } })
          : api.DELETE('/api/deliveries/{delivery_id}/news/{novelty}', { params }),
      )
    },
    onMutate: async (asked) => {
      await queries.cancelQueries({ queryKey: key.value })
      queries.setQueryData<NewsOut>(key.value, (news) => news && answered(news, asked))
    },
    // an answer to a look before the last of several acts would show those after it as not done
    onSettled: () =>
      queries.isMutating({ mutationKey: ['answer news'] }) > 1
        ? undefined
        : Promise.all([
            queries.invalidateQueries({ queryKey: key.value }),
            queries.invalidateQueries({ queryKey: ['delivery', id.value] }),
            queries.invalidateQueries({ queryKey: ['feeds'] }),
          ]),
  })
  return { data, error, isLoading, ask }
}

/** The measure that a novelty is about, over the deliveries; nothing for texts. */
export function useMeasure(id: Ref<number>, novelty: Ref<Novelty | undefined>) {
  const isMeasure = computed(() => novelty.value?.value !== null && novelty.value?.value !== undefined)
  return useQuery({
    queryKey: ['measure over time', id, computed(() => novelty.value?.id)],
    queryFn: () =>
      unwrap(
        api.GET('/api/deliveries/{delivery_id}/news/{novelty}/measure', {
          params: { path: { delivery_id: id.value, novelty: novelty.value!.id } },
        }),
      ),
    enabled: () => isMeasure.value,
    staleTime: 60_000,
  })
}

export const ANSWERS: Record<string, string> = {
  expected: 'expected from now on',
  ignored: 'ignored this time',
  asked: 'asked the supplier',
}
const DID: Record<string, string> = {
  ran: 'ran the rulebook',
  proposed: 'proposed the release',
  published: 'published the release',
  called: 'called a person',
  held: 'found nothing new',
}
/** What a policy did, in words. */
export const didWhat = (did: string): string => DID[did] ?? did
