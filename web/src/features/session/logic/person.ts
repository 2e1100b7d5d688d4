/** Who is signed in, and what their roles let them do. */
import { api, unwrap, signedOut } from '@/api/client'
import { useQuery, useQueryClient } from '@tanstack/vue-query'
import { computed, ref } from 'vue'

export function usePerson() {
  const { data, error } = useQuery({
    queryKey: ['session'],
    queryFn: () => unwrap(api.GET('/api/session')),
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

/** Sign in; what stood in the way is in `error`. */
export function useSignIn() {
  const queries = useQueryClient()
  const busy = ref(false)
  const error = ref<unknown>()
  /** Whether the session began. */
  async function signIn(username: string, password: string): Promise<boolean> {
    busy.value = true
    error.value = undefined
    try {
      const body = { username, password }
      queries.setQueryData(['session'], await unwrap(api.POST('/api/session', { body })))
      signedOut.value = false
      return true
    } catch (problem) {
      error.value = problem
      return false
    } finally {
      busy.value = false
    }
  }
  return { signIn, busy, error }
}
