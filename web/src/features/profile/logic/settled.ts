/** What is settled about the columns of a feed for modelling: kept for the next delivery, changed over the address until it is. */
import { useAddress } from '@/app/address'
import { api, unwrap, type Schemas } from '@/api/client'
import { useMutation, useQuery, useQueryClient } from '@tanstack/vue-query'
import { computed, type Ref } from 'vue'

export type Part = 'input' | 'excluded'
export const LIMITS = [
  { name: 'missing', label: 'Missing at most', start: 60, unit: '%' },
  { name: 'repeats', label: 'Repeats another from', start: 98, unit: '' },
  { name: 'leaks', label: 'Determines the target from', start: 98, unit: '' },
] as const
export type LimitName = (typeof LIMITS)[number]['name']

/** The parts that the address gives to columns; none when it cannot be read. */
export function partsIn(written: string): Record<string, Part | ''> {
  try {
    const read = JSON.parse(written) as unknown
    if (typeof read !== 'object' || read === null || Array.isArray(read)) return {}
    return Object.fromEntries(
      Object.entries(read).filter(([, part]) => ['input', 'excluded', ''].includes(part as string)),
    ) as Record<string, Part | ''>
  } catch {
    return {}
  }
}

/** Columns that are judged unfit now and not dropped by the rule, and the other way round, in their order. */
export function otherThanRule(judged: string[], dropped: string[]): { more: string[]; less: string[] } {
  return {
    more: judged.filter((name) => !dropped.includes(name)),
    less: dropped.filter((name) => !judged.includes(name)),
  }
}

export function useSettled(id: Ref<number>) {
  const { query, ask } = useAddress()
  const queries = useQueryClient()
  const kept = useQuery({
    queryKey: ['suitability', id],
    queryFn: () =>
      unwrap(
        api.GET('/api/deliveries/{delivery_id}/suitability', { params: { path: { delivery_id: id.value } } }),
      ),
  })
  const target = computed(() => String(query.value.target ?? kept.data.value?.target ?? ''))
  function percent(name: LimitName): number {
    const typed = Number(query.value[name])
    if (query.value[name] !== undefined && typed >= 0 && typed <= 100) return typed
    const settled = kept.data.value?.at ? kept.data.value.limits[name] : undefined
    return settled === undefined
      ? LIMITS.find((limit) => limit.name === name)!.start
      : Math.round(settled * 100)
  }
  const limits = computed(() => ({
    missing: percent('missing') / 100,
    repeats: percent('repeats') / 100,
    leaks: percent('leaks') / 100,
  }))
  const inAddress = computed(() => partsIn(String(query.value.parts ?? '{}')))
  const parts = computed<Record<string, Part>>(() => {
    const all = { ...kept.data.value?.roles, ...inAddress.value }
    return Object.fromEntries(Object.entries(all).filter(([, part]) => part)) as Record<string, Part>
  })
  function decide(name: string, part: Part | ''): void {
    const next = { ...inAddress.value, [name]: part }
    if (part === (kept.data.value?.roles[name] ?? '')) delete next[name]
    ask({ parts: Object.keys(next).length ? JSON.stringify(next) : undefined })
  }
  const settle = useMutation({
    mutationFn: (columns: string[]) =>
      unwrap(
        api.PUT('/api/deliveries/{delivery_id}/suitability', {
          params: { path: { delivery_id: id.value } },
          body: {
            columns,
            target: target.value,
            limits: limits.value,
            roles: parts.value as Schemas['SuitabilityIn']['roles'],
            why: `${target.value ? `for ${target.value}: ` : ''}missing over ${percent('missing')} %, repeats from ${limits.value.repeats}, determines the target from ${limits.value.leaks}`,
          },
        }),
      ),
    onSuccess: async () => {
      await Promise.all([
        queries.invalidateQueries({ queryKey: ['suitability'] }),
        queries.invalidateQueries({ queryKey: ['delivery', id.value] }),
        queries.invalidateQueries({ queryKey: ['rulebook'] }),
      ])
    },
  })
  return { kept, target, percent, limits, parts, say: ask, decide, settle }
}
