/** Spelling variants of a column: the groups of a method, what is chosen of them, and the code list that follows. */
import { api, unwrap, type Schemas } from '@/api/client'
import { useMutation, useQuery, useQueryClient } from '@tanstack/vue-query'
import { computed, ref, watch, type Ref } from 'vue'

import { useTable } from './lookedAt'

export type Group = Schemas['VariantGroupOut']

/** The lines of the code list: every other spelling of the chosen groups and the form it gets. */
export function codesOf(groups: Group[], chosen: Set<number>, forms: Map<number, string>): Schemas['Code'][] {
  return groups.flatMap((group, i) => {
    const meaning = (forms.get(i) ?? group.preferred).trim()
    if (!chosen.has(i) || !meaning) return []
    return group.members
      .filter((member) => member.value !== meaning)
      .map((member) => ({ code: member.value, meaning }))
  })
}

export function useVariants(id: Ref<number>, column: Ref<string>) {
  const queries = useQueryClient()
  const table = useTable()
  const method = ref('spelling')
  const methods = useQuery({
    queryKey: ['variant-methods'],
    queryFn: () => unwrap(api.GET('/api/variant-methods')),
    staleTime: Infinity,
  })
  const answer = useQuery({
    queryKey: ['variants', id, table, column, method],
    queryFn: ({ signal }) =>
      unwrap(
        api.GET('/api/deliveries/{delivery_id}/variants', {
          params: {
            path: { delivery_id: id.value },
            query: { column: column.value, method: method.value, table: table.value },
          },
          signal,
        }),
      ),
    enabled: () => Boolean(column.value),
    staleTime: 60_000,
  })
  const chosen = ref(new Set<number>())
  const forms = ref(new Map<number, string>())
  const groups = computed(() => answer.data.value?.groups ?? [])
  // a choice is one of the groups that are shown: by their places it would mean others; and while those of another column
  // are looked for none are shown, for what is chosen of the old ones would be written into the new column
  watch([column, method, table, groups], () => {
    chosen.value = new Set()
    forms.value = new Map()
  })
  const codes = computed(() => codesOf(groups.value, chosen.value, forms.value))
  const join = useMutation({
    mutationFn: () =>
      unwrap(
        api.POST('/api/deliveries/{delivery_id}/variants', {
          params: { path: { delivery_id: id.value } },
          body: { column: column.value, codes: codes.value, table: table.value },
        }),
      ),
    onSuccess: async () => {
      chosen.value = new Set()
      await Promise.all([
        queries.invalidateQueries({ queryKey: ['delivery', id.value] }),
        queries.invalidateQueries({ queryKey: ['rulebook'] }),
      ])
    },
  })
  return { method, methods, found: answer, groups, chosen, forms, codes, join }
}
