/** What the rules do to the delivery at hand, as the newest trial or run of this very revision tells; and remarks on them. */
import { api, unwrap, type Schemas } from '@/api/client'
import { keepPreviousData, useQuery } from '@tanstack/vue-query'
import { computed, watch, type Ref } from 'vue'
import type { Rule } from './rulebook'

interface Asking {
  isPending: Ref<boolean>
  error: Ref<unknown>
  mutate: (purpose: 'trials') => void
}

/** A trial is asked for when nothing tells the effects of the revision yet. */
export function useLatestRun(
  delivery: Ref<Schemas['WorkspaceOut'] | undefined>,
  book: Ref<Schemas['RulebookOut'] | undefined>,
  rules: Ref<Rule[]>,
  mayWork: Ref<boolean>,
  ask: Asking,
) {
  // the newest run or trial of this very revision tells the effects
  const latestRun = computed(() => {
    const it = delivery.value
    const all = [it?.trial, it?.run].filter((run) => run && run.revision === book.value?.revision.number)
    return all.sort((a, b) => (b?.id ?? 0) - (a?.id ?? 0))[0] ?? null
  })
  const effectOf = (id: string) => latestRun.value?.outcome?.effects.find((effect) => effect.rule === id)
  watch(
    [() => delivery.value?.state, () => book.value?.revision.number, latestRun, mayWork],
    () => {
      const it = delivery.value
      const idle = it?.state === 'read' && !it.job && !ask.isPending.value && !ask.error.value
      if (idle && book.value && !latestRun.value && mayWork.value) ask.mutate('trials')
    },
    { immediate: true },
  )
  const remarks = useQuery({
    queryKey: [
      'remarks',
      computed(() => [delivery.value?.id, book.value?.revision.number, latestRun.value?.id]),
    ],
    queryFn: () =>
      unwrap(
        api.POST('/api/deliveries/{delivery_id}/remarks', {
          params: { path: { delivery_id: delivery.value?.id ?? 0 } },
          body: { rules: rules.value as never[] },
        }),
      ),
    enabled: () => Boolean(delivery.value && book.value),
    placeholderData: keepPreviousData,
    retry: false,
  })
  const remarkOn = (id: string) => remarks.data.value?.find((remark) => remark.rule === id)
  return { latestRun, effectOf, remarkOn }
}
