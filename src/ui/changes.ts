import { useQuery } from '@tanstack/react-query'
import { useEffect, useRef } from 'react'
import type { ChangesAnswer } from '../contract/changes.ts'
import { ask } from './api.ts'
import { queries } from './query.tsx'

/** What somebody else did is seen after this at the latest. */
const LOOK_MS = 3_000

/** What shows something of a capability, by the first word of its query's key. A word with "of" shows one thing: that of the change's key. */
const SHOWN_BY: Readonly<Record<string, readonly string[]>> = {
  pages: [
    'unpublished',
    'pages',
    'desk',
    'menus',
    'blocks',
    'block uses',
    'pages for a block',
    'short-link uses',
    'file uses',
    'of history',
    'of difference',
  ],
  files: ['files', 'file uses', 'unpublished', 'desk'],
  waiting: ['waiting', 'desk'],
  publications: ['publications', 'plans', 'unpublished', 'desk'],
  'short-links': ['short-links', 'slug'],
  rules: ['rule versions', 'desk'],
  partners: ['partners', 'desk'],
  hosts: ['hosts'],
  findings: ['desk'],
  'bulk-changes': ['bulk changes'],
}

/** Tells whether a query shows something that these changes concern. */
export function isShownBy(queryKey: readonly unknown[], changes: NonNullable<ChangesAnswer['changes']>): boolean {
  const [first, second] = queryKey
  return changes.some(({ capability, key }) =>
    (SHOWN_BY[capability] ?? []).some((name) =>
      name.startsWith('of ') ? name === `of ${String(first)}` && second === key : name === first,
    ),
  )
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
  const { data } = useQuery({
    queryKey: ['changes'],
    queryFn: ({ signal }) =>
      ask<ChangesAnswer>('GET', `/changes${number.current === undefined ? '' : `?after=${number.current}`}`, undefined, signal),
    refetchInterval: LOOK_MS,
    gcTime: 0,
  })
  useEffect(() => {
    if (data === undefined) return
    number.current = data.number
    const { changes } = data
    if (changes === null || changes.length > 0) for (const listener of listeners) listener()
    if (changes === null) void queries.invalidateQueries({ predicate: ({ queryKey }) => queryKey[0] !== 'changes' })
    else if (changes.length > 0) void queries.invalidateQueries({ predicate: ({ queryKey }) => isShownBy(queryKey, changes) })
  }, [data])
}
