import { QueryClient } from '@tanstack/vue-query'
import { ProblemError } from './api'

export const queryClient = new QueryClient({
  defaultOptions: {
    queries: {
      staleTime: 5_000,
      retry: (times, error) => times < 2 && !(error instanceof ProblemError && error.status < 500),
      refetchOnWindowFocus: false,
    },
  },
})
