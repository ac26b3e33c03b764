import { QueryClient, QueryClientProvider } from '@tanstack/react-query'
import { type ReactNode, useState } from 'react'

const options = { defaultOptions: { queries: { retry: 1, staleTime: 5_000, refetchOnWindowFocus: true } } }

/** One for all islands of a screen: React's context does not reach from one to the next, this module does. Browser only. */
export const queries = new QueryClient(options)

/** On the server each rendering has a client of its own: what one person is shown must never be kept for the next. */
export function Queries({ children }: { children: ReactNode }) {
  const [client] = useState(() => (typeof window === 'undefined' ? new QueryClient(options) : queries))
  return <QueryClientProvider client={client}>{children}</QueryClientProvider>
}
