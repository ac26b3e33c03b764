import { useState } from 'react'
import { number } from '../words/index.ts'
import type { AnswerOf, InputOf } from './api.ts'
import { type ListName, useAskOn } from './query.tsx'
import { useSettled } from './settled.ts'

/** A list is looked through when somebody has stopped typing for so long. */
const TYPED_MS = 200

/** A long list that is looked through by words and shown a stretch at a time, as far as it is here. */
export interface LongList<N extends ListName> {
  /** What is typed, and what the list that is shown was asked with. */
  readonly search: string
  setSearch(search: string): void
  readonly wanted: string
  /** Stretches that are here; null before the first has come. */
  readonly pages: readonly AnswerOf<N>[] | null
  readonly error: Error | null
  readonly hasMore: boolean
  readonly isComing: boolean
  more(): void
}

/**
 * @param inputFor - what is asked for these words; "" is everything
 * @param given - `initial`: the first stretch of everything, where that came with the screen; `refreshMs`: see `useAskOn`
 */
export function useLongList<N extends ListName>(
  name: N,
  inputFor: (search: string) => InputOf<N>,
  { initial, refreshMs }: { initial?: AnswerOf<N>; refreshMs?: number },
): LongList<N> {
  const [search, setSearch] = useState('')
  const wanted = useSettled(search.trim(), TYPED_MS)
  const { data, error, fetchNextPage, hasNextPage, isFetchingNextPage } = useAskOn(name, inputFor(wanted), {
    initial: wanted === '' ? initial : undefined,
    ...(refreshMs === undefined ? {} : { refreshMs }),
  })
  return {
    search,
    setSearch,
    wanted,
    pages: data?.pages ?? null,
    error,
    hasMore: hasNextPage,
    isComing: isFetchingNextPage,
    more: () => void fetchNextPage(),
  }
}

/** Where words are typed that a list is looked through by. @param label - spoken; it has no other name on the screen */
export function SearchField({
  label,
  hint,
  value,
  onChange,
  className = '!w-[260px] max-md:!w-full',
}: {
  label: string
  /** Shown while it is empty. */
  hint: string
  value: string
  onChange: (value: string) => void
  className?: string
}) {
  return (
    <input
      className={`field ${className}`}
      type="search"
      aria-label={label}
      placeholder={hint}
      value={value}
      onChange={(event) => onChange(event.target.value)}
    />
  )
}

/** Shows the next stretch. Nothing where all of it is shown. */
export function MoreButton({
  list: { hasMore, isComing, more },
  shown,
}: {
  list: Pick<LongList<ListName>, 'hasMore' | 'isComing' | 'more'>
  shown: number
}) {
  if (!hasMore) return null
  return (
    <p className="flex items-center justify-center gap-3 border-t px-4 py-3">
      <span className="note">{number(shown)} are shown.</span>
      <button type="button" className="button" disabled={isComing} onClick={more}>
        {isComing ? 'Fetching…' : 'Show more'}
      </button>
    </p>
  )
}
