/** Which table of a delivery is looked at: as delivered, or as the rules leave it, at the end or at any rule. The address
 * says so (`after`: the id of a rule, or `end`); the table is asked for once for each state of the rulebook. */
import { api, unwrap, type Schemas } from '@/api/client'
import { useQuery } from '@tanstack/vue-query'
import { computed, shallowRef, watch, type Ref } from 'vue'
import { useRoute } from 'vue-router'
import { useAnalysis } from './analysis'

export const END = 'end'

/** The rule of an address, or undefined for the table as delivered. */
export const afterOf = (query: { after?: unknown }): string | undefined =>
  typeof query.after === 'string' && query.after ? query.after : undefined

/** The rules of the feed with the words of each, to choose one of them. */
export function useRuleChoices(slug: Ref<string>) {
  const { data } = useQuery({
    queryKey: ['rulebook', slug],
    queryFn: () => unwrap(api.GET('/api/feeds/{slug}/rulebook', { params: { path: { slug: slug.value } } })),
    enabled: () => Boolean(slug.value),
  })
  return computed(() =>
    (data.value?.rules ?? []).map((eachRule) => ({
      id: String((eachRule.rule as { id: string }).id),
      number: eachRule.number,
      words: eachRule.sentence.map((part) => part.text).join(''),
    })),
  )
}

export function useTableAfter(id: Ref<number>, delivery: Ref<Schemas['WorkspaceOut'] | undefined>) {
  const route = useRoute()
  const after = computed(() => afterOf(route.query))
  const result = useAnalysis(
    computed(() => ['table after', id.value, after.value, delivery.value?.revision, delivery.value?.records]),
    () =>
      unwrap(
        api.POST('/api/deliveries/{delivery_id}/tables-after', {
          params: { path: { delivery_id: id.value } },
          body: { rule: after.value === END ? '' : (after.value ?? '') },
        }),
      ),
    (table_id) =>
      unwrap(
        api.GET('/api/deliveries/{delivery_id}/tables-after/{table_id}', {
          params: { path: { delivery_id: id.value, table_id } },
        }),
      ),
    () => Boolean(after.value) && delivery.value?.state === 'read',
  )
  /** What is at hand stays in view while the same table is made anew, because the rulebook is another one. */
  const shown = shallowRef<{ after: string; data: Schemas['TableAfterOut'] }>()
  watch(result.data, (data) => void (data && after.value && (shown.value = { after: after.value, data })), {
    immediate: true,
  })
  const data = computed(() =>
    after.value && shown.value?.after === after.value ? shown.value.data : undefined,
  )
  return { after, ...result, data, table: computed(() => data.value?.id) }
}
