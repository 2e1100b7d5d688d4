/** What stands in quarantine of a delivery: all of it, what fits the address, a page of that, and the life of one record. */
import { api, unwrap, type Schemas } from '@/api/client'
import { keepPreviousData, useQuery } from '@tanstack/vue-query'
import { computed, ref, watch, type Ref } from 'vue'
import { useRoute } from 'vue-router'
import { asParameters, chosenOf } from './chosen'

export const SIZE = 100

export function useQuarantined(id: Ref<number>) {
  const route = useRoute()
  const path = computed(() => ({ delivery_id: id.value }))
  const overview = useQuery({
    queryKey: ['quarantined', id],
    queryFn: () =>
      unwrap(api.GET('/api/deliveries/{delivery_id}/quarantine', { params: { path: path.value } })),
    placeholderData: keepPreviousData,
  })
  const all = computed(() => overview.data.value)
  const chosen = computed(() => chosenOf(route.query, all.value?.files ?? []))
  const parameters = computed(() => asParameters(chosen.value))
  const offset = ref(0)
  watch(parameters, (now, before) => {
    if (JSON.stringify(now) !== JSON.stringify(before)) offset.value = 0
  })
  const enabled = computed(() => Boolean(all.value?.run))
  const counts = useQuery({
    queryKey: ['quarantined', id, 'counts', parameters],
    queryFn: () =>
      unwrap(
        api.GET('/api/deliveries/{delivery_id}/quarantine/counts', {
          params: { path: path.value, query: parameters.value },
        }),
      ),
    enabled,
    placeholderData: keepPreviousData,
  })
  const page = useQuery({
    queryKey: ['quarantined', id, 'records', parameters, offset],
    queryFn: () =>
      unwrap(
        api.GET('/api/deliveries/{delivery_id}/quarantine/records', {
          params: { path: path.value, query: { ...parameters.value, offset: offset.value, limit: SIZE } },
        }),
      ),
    enabled,
    placeholderData: keepPreviousData,
  })
  const rows = computed(() => page.data.value?.rows ?? [])
  const total = computed(() => page.data.value?.total ?? 0)
  /** The record that is looked at. */
  const one = computed(
    () => rows.value.find((row) => String(row.record) === route.query.record) ?? rows.value[0],
  )
  const life = useQuery({
    queryKey: ['record', id, 'cells', computed(() => one.value?.record), computed(() => all.value?.run)],
    queryFn: () =>
      unwrap(
        api.GET('/api/deliveries/{delivery_id}/records/{record}/life', {
          params: { path: { ...path.value, record: one.value!.record }, query: { whole: false } },
        }),
      ),
    enabled: () => one.value !== undefined,
    placeholderData: keepPreviousData,
  })
  return { overview, all, chosen, parameters, offset, counts, page, rows, total, one, life }
}

/** Records that are marked to be decided on together, or all that fit. */
export function useMarked(rows: Ref<Schemas['HeldOut'][]>, parameters: Ref<unknown>) {
  const marked = ref(new Set<number>())
  const isAllFit = ref(false)
  watch(parameters, () => (isAllFit.value = false))
  function only(records: Iterable<number>): void {
    marked.value = new Set(records)
    isAllFit.value = false
  }
  function mark(record: number): void {
    only(
      marked.value.has(record)
        ? [...marked.value].filter((other) => other !== record)
        : [...marked.value, record],
    )
  }
  /** All of the page, or none where all of them are. */
  function markAll(): void {
    const every = rows.value.map((row) => row.record)
    only(every.every((record) => marked.value.has(record)) ? [] : every)
  }
  return { marked, isAllFit, mark, markAll, unmark: () => only([]) }
}
