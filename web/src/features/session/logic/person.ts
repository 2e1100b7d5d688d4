/** Who is signed in, and what their roles let them do. */
import { api, must } from '@/api/client'
import { useQuery } from '@tanstack/vue-query'
import { computed } from 'vue'

export function usePerson() {
  const { data, error } = useQuery({
    queryKey: ['session'],
    queryFn: () => must(api.GET('/api/session')),
    staleTime: 60_000,
    retry: false,
  })
  const holds = (...roles: string[]) => computed(() => roles.some((role) => data.value?.roles.includes(role)))
  return {
    person: data,
    error,
    mayWork: holds('analyst', 'approver'),
    mayRelease: holds('approver'),
    mayAdminister: holds('administrator'),
  }
}
