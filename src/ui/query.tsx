import {
  type DefinedUseQueryResult,
  type InfiniteData,
  QueryClient,
  QueryClientProvider,
  type UseInfiniteQueryResult,
  type UseQueryOptions,
  type UseQueryResult,
  useInfiniteQuery,
  useQuery,
} from '@tanstack/react-query'
import { type ReactNode, useState, useSyncExternalStore } from 'react'
import type { OperationName } from '../contract/api.ts'
import { type AnswerOf, call, type InputOf } from './api.ts'

// A write is never put by in silence: without a connection it fails at once, and whoever sent it says so (see Form).
const options = {
  defaultOptions: { queries: { retry: 1, staleTime: 5_000, refetchOnWindowFocus: true }, mutations: { networkMode: 'always' } },
} as const

/** One for all islands of a screen: React's context does not reach from one to the next, this module does. Browser only. */
export const queries = new QueryClient(options)

/** On the server each rendering has a client of its own: what one person is shown must never be kept for the next. */
export function Queries({ children }: { children: ReactNode }) {
  const [client] = useState(() => (typeof window === 'undefined' ? new QueryClient(options) : queries))
  return <QueryClientProvider client={client}>{children}</QueryClientProvider>
}

/** What an answer is kept under. */
export const keyOf = <N extends OperationName>(name: N, input: InputOf<N>): readonly [N, InputOf<N>] => [name, input]

type AskOptions<N extends OperationName> = Omit<UseQueryOptions<AnswerOf<N>>, 'queryKey' | 'queryFn'>

/** What an operation answers, kept up to date while it is shown: asked anew when the log tells of something that it shows. */
export function useAsk<N extends OperationName>(
  name: N,
  input: InputOf<N>,
  given: AskOptions<N> & { readonly initialData: AnswerOf<N> },
): DefinedUseQueryResult<AnswerOf<N>>
export function useAsk<N extends OperationName>(name: N, input: InputOf<N>, given?: AskOptions<N>): UseQueryResult<AnswerOf<N>>
export function useAsk<N extends OperationName>(name: N, input: InputOf<N>, given: AskOptions<N> = {}): UseQueryResult<AnswerOf<N>> {
  const asked = useQuery({ ...given, queryKey: keyOf(name, input), queryFn: ({ signal }) => call(name, input, signal) })
  return useAsDrawn(asked, given.initialData as AnswerOf<N> | undefined)
}

const never = (): (() => void) => () => {}

/**
 * An answer as the server drew it, for as long as React takes that drawing over: another island of the screen may have brought a newer
 * one by then, and what is drawn first has to be the same (React, "hydrateRoot").
 * @param initial - what the server had; undefined for nothing
 */
function useAsDrawn<T, R extends { readonly data: T | undefined }>(asked: R, initial: T | undefined): R {
  const isAwake = useSyncExternalStore(
    never,
    () => true,
    () => false,
  )
  if (isAwake || typeof window === 'undefined') return asked
  const isThere = initial !== undefined
  const drawn = { data: initial, error: null, status: isThere ? 'success' : 'pending', isSuccess: isThere, isPending: !isThere }
  return Object.create(asked, Object.getOwnPropertyDescriptors(drawn)) as R
}

/** Operations that answer a long list in stretches. */
export type ListName = { [N in OperationName]: AnswerOf<N> extends { next: string | null } ? N : never }[OperationName]

/**
 * A long list, a stretch at a time; what was shown stays until something else is found.
 * @param initial - its first stretch, where that came with the screen
 * @param refreshMs - how often it is asked anew while no more than the first stretch is here; where that depends on it, by what it says
 */
export function useAskOn<N extends ListName>(
  name: N,
  input: InputOf<N>,
  { initial, refreshMs }: { initial?: AnswerOf<N> | undefined; refreshMs?: number | ((first: AnswerOf<N>) => number | false) } = {},
): UseInfiniteQueryResult<InfiniteData<AnswerOf<N>>> {
  const first: InfiniteData<AnswerOf<N>, string | null> | undefined =
    initial === undefined ? undefined : { pages: [initial], pageParams: [null] }
  const asked = useInfiniteQuery<AnswerOf<N>, Error, InfiniteData<AnswerOf<N>>, readonly unknown[], string | null>({
    queryKey: [...keyOf(name, input), 'by stretches'],
    queryFn: ({ signal, pageParam }) => {
      const query = { ...('query' in input ? input.query : {}), ...(pageParam === null ? {} : { cursor: pageParam }) }
      return call(name, { ...input, query }, signal)
    },
    initialPageParam: null,
    getNextPageParam: nextOf,
    ...(first === undefined ? {} : { initialData: first }),
    placeholderData: (before) => before,
    ...(refreshMs === undefined
      ? {}
      : {
          refetchInterval: ({ state }) => {
            const [only, another] = state.data?.pages ?? []
            if (only === undefined || another !== undefined) return false
            return typeof refreshMs === 'function' ? refreshMs(only) : refreshMs
          },
        }),
  })
  return useAsDrawn<InfiniteData<AnswerOf<N>>, typeof asked>(asked, first)
}

const nextOf = (last: unknown): string | null =>
  typeof last === 'object' && last !== null && 'next' in last && typeof last.next === 'string' ? last.next : null
