import { useQuery } from '@tanstack/react-query'
import { useEffect, useRef } from 'react'
import { CALLS, type Call } from '../contract/calls.ts'
import type { ChangesAnswer } from '../contract/changes.ts'
import { call, onWritten } from './api.ts'
import { queries } from './query.tsx'

/** What somebody else did is seen after this at the latest. */
const LOOK_MS = 3_000

/** Tells whether an answer kept under a key shows something that these changes concern; `shows` of its operation says what it is made from. */
export function isOutOfDate(queryKey: readonly unknown[], changes: NonNullable<ChangesAnswer['changes']>): boolean {
  const [name, input] = queryKey as readonly [string, { readonly id?: string } | undefined]
  const known = (CALLS as Readonly<Record<string, Call>>)[name]
  if (known?.shows === undefined) return false
  return changes.some(({ capability, key }) => {
    if (!known.shows?.includes(capability)) return false
    const isOfOne = known.path.startsWith(`/${capability}/{id}`)
    return !isOfOne || input?.id === key
  })
}

const listeners = new Set<() => void>()

/** Hears that something of the site has changed, for what is shown by other means than queries. @returns how to stop hearing */
export function onChanges(listener: () => void): () => void {
  listeners.add(listener)
  return () => listeners.delete(listener)
}

/** Follows the log of changes while the screen is open: what is shown of something that changed is asked for anew, and nothing else. */
export function useChanges(): void {
  const number = useRef<number | undefined>(undefined)
  /** Something was written before anybody knew how far the log went. */
  const isBehind = useRef(false)
  const { data, refetch } = useQuery({
    queryKey: ['changes.after'],
    queryFn: ({ signal }) => call('changes.after', { query: number.current === undefined ? {} : { after: number.current } }, signal),
    refetchInterval: LOOK_MS,
    gcTime: 0,
  })
  useEffect(
    () =>
      onWritten(() => {
        isBehind.current ||= number.current === undefined
        void refetch()
      }),
    [refetch],
  )
  useEffect(() => {
    if (data === undefined) return
    number.current = data.number
    const changes = isBehind.current ? null : data.changes
    isBehind.current = false
    if (changes?.length === 0) return
    for (const listener of listeners) listener()
    void queries.invalidateQueries({
      predicate: ({ queryKey }) => (changes === null ? queryKey[0] !== 'changes.after' : isOutOfDate(queryKey, changes)),
    })
  }, [data])
}
