/** What the profile noticed, with what was decided; accept, dismiss and take back. */
import { api, unwrap, type Schemas } from '@/api/client'
import { count } from '@/shared'
import { useMutation, useQuery, useQueryClient } from '@tanstack/vue-query'
import { computed, ref, type Ref } from 'vue'

export type Listed = Schemas['FindingOut']

/** A finding in a few words, for a line of the register: "38 turned into dates". */
export function brief(finding: Pick<Schemas['Finding'], 'says'>): string {
  return (finding.says.split(/[:;(]/)[0] ?? '').replace(/ (cells?|records?)\b/, '').trim()
}

const MEANT = {
  high: 'cells like these are hardly ever meant',
  middle: 'most likely a fault, though it can be meant',
  low: 'it may well be meant, so look before you decide',
}

/** Why a finding has its severity, in a sentence, with what the share of the records adds to it. */
export function whySo(finding: Pick<Schemas['Finding'], 'severity' | 'share' | 'count'>): string {
  const part = `${count(finding.count)}, ${finding.share < 0.001 ? 'less than 0.1' : (finding.share * 100).toFixed(1)} % of the records`
  const speaks =
    finding.share <= 0.01
      ? `So few (${part}) are rather slips than a habit.`
      : finding.share > 0.05
        ? `So many (${part}) are rather a habit of the source than slips.`
        : `They are ${part}.`
  return `Severity ${finding.severity}: ${MEANT[finding.severity]}. ${speaks}`
}

/** Whether a finding asks for a person: open and not of low severity. */
export const pressing = (listed: Listed): boolean =>
  listed.state === 'open' && listed.finding.severity !== 'low'

/** The place after `id` among what is left once the findings of `gone` are away; the last one when it was last. */
export function nextAfter(shown: Listed[], gone: string[]): string | undefined {
  const at = shown.findIndex((item) => item.finding.id === gone.at(-1))
  const left = (listed: Listed) => !gone.includes(listed.finding.id)
  return (shown.slice(at + 1).find(left) ?? shown.slice(0, Math.max(0, at)).reverse().find(left))?.finding.id
}

export function useFindings(id: Ref<number>, ready: () => boolean, table: Ref<number | undefined>) {
  const queries = useQueryClient()
  const path = computed(() => ({ path: { delivery_id: id.value } }))
  const listed = useQuery({
    queryKey: ['findings', id, table],
    queryFn: () =>
      unwrap(
        api.GET('/api/deliveries/{delivery_id}/findings', {
          params: { ...path.value, query: { table: table.value } },
        }),
      ),
    enabled: ready,
    staleTime: 60_000,
  })
  const kinds = useQuery({
    queryKey: ['finding-kinds'],
    queryFn: () => unwrap(api.GET('/api/finding-kinds')),
    staleTime: Infinity,
  })
  const methodOf = (kind: string): string =>
    kinds.data.value?.find((eachKind) => eachKind.name === kind)?.method ?? ''
  const byColumn = computed(() => {
    const all = new Map<string, Listed[]>()
    for (const item of listed.data.value ?? []) {
      for (const name of item.finding.columns) all.set(name, [...(all.get(name) ?? []), item])
    }
    return all
  })
  async function settled(): Promise<void> {
    await Promise.all([
      queries.invalidateQueries({ queryKey: ['findings', id.value] }),
      queries.invalidateQueries({ queryKey: ['delivery', id.value] }),
      queries.invalidateQueries({ queryKey: ['rulebook'] }),
    ])
  }
  const decide = useMutation({
    mutationFn: ({
      what,
      ids,
      reason,
    }: {
      what: 'accept' | 'dismiss' | 'reopen'
      ids: string[]
      reason?: string
    }) => {
      const request = { params: path.value, body: { ids, reason: reason ?? '', table: table.value } }
      if (what === 'accept') return unwrap(api.POST('/api/deliveries/{delivery_id}/findings/accept', request))
      if (what === 'dismiss')
        return unwrap(api.POST('/api/deliveries/{delivery_id}/findings/dismiss', request))
      return unwrap(api.POST('/api/deliveries/{delivery_id}/findings/reopen', request))
    },
    onSettled: settled,
  })
  return { found: listed, byColumn, methodOf, decide }
}

/** The findings that fit a search, a state and a severity, and the one that is looked at. */
export function useFindingsList(all: Ref<Listed[]>, asked: () => unknown) {
  const find = ref('')
  const state = ref('open')
  const severity = ref('')
  const listed = computed(() => {
    const word = find.value.toLowerCase()
    return all.value.filter(
      ({ finding, state: now }) =>
        (!state.value || now === state.value) &&
        (!severity.value ||
          finding.severity === 'high' ||
          (severity.value === 'middle' && finding.severity !== 'low')) &&
        `${finding.columns.join(' ')} ${finding.kind}`.toLowerCase().includes(word),
    )
  })
  const chosen = computed(() => listed.value.find((item) => item.finding.id === asked()) ?? listed.value[0])
  return { find, state, severity, listed, chosen }
}
