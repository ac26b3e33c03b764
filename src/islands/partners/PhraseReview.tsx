import { useMutation } from '@tanstack/react-query'
import { type KeyboardEvent, useEffect, useRef, useState } from 'react'
import { toast } from 'sonner'
import type { PageWithPhrases, Suggested } from '../../contract/phrases.ts'
import { readableAddress } from '../../core/address/index.ts'
import { call, wordsOf } from '../../ui/api.ts'
import { Problem } from '../../ui/Form.tsx'
import { JobProgress, useJob } from '../../ui/job.tsx'
import { useAsk } from '../../ui/query.tsx'
import { TextField } from '../../ui/TextField.tsx'
import { type InWords, number } from '../../words/index.ts'
import { LEFT_WORDS } from './phrase-words.ts'

interface Place {
  readonly page: PageWithPhrases
  readonly suggested: InWords<Suggested>
}

/** Phrases worth linking, one by one in their sentences; one key each. */
export function PhraseReview({ canLink, onPhrases }: { canLink: boolean; onPhrases: () => void }) {
  /** Under this the first look is followed; what is asked later is known already, but for what changed. */
  const [job, setJob] = useState<string | null>(() => crypto.randomUUID())
  const { data, error, isFetching } = useAsk('phrases.review', job === null ? {} : { query: { job } }, {
    placeholderData: (before) => before,
  })
  useEffect(() => {
    if (data !== undefined) setJob(null)
  }, [data])
  /** Of which other words are being chosen: it stays while the others are looked at again. */
  const [wording, setWording] = useState<Place | null>(null)
  /** Versions that pages have since something was linked on them: what was suggested of an older one waits until it is looked at again. */
  const [saved, setSaved] = useState<ReadonlyMap<string, number>>(new Map())
  /** Looked at already, here: what is passed over comes again another day. */
  const [passed, setPassed] = useState<ReadonlySet<string>>(new Set())
  const box = useRef<HTMLElement>(null)
  const places = (data?.pages ?? []).flatMap((page) => page.chosen.map((suggested): Place => ({ page, suggested })))
  const open = places.filter((place) => !passed.has(nameOf(place)) && place.page.version >= (saved.get(place.page.pageId) ?? 0))
  const first = wording ?? open[0]
  const pass = (place: Place): void => {
    setPassed((before) => new Set(before).add(nameOf(place)))
    setWording(null)
    box.current?.focus()
  }
  const link = useMutation({
    mutationFn: ({ page, suggested: { phraseId, from, to }, words }: Place & { words?: string }) =>
      call('phrases.accept', {
        id: page.pageId,
        body: { phraseId, version: page.version, from, to, ...(words === undefined ? {} : { words }) },
      }),
    onSuccess: ({ version }, place) => {
      pass(place)
      setSaved((before) => new Map(before).set(place.page.pageId, version))
      toast.success(`“${place.words ?? place.suggested.sentence.words}” is linked, as a draft.`, {
        action: { label: 'Undo', onClick: () => void takeBack(place, version) },
      })
    },
    onError: (failure) => toast.error(wordsOf(failure)),
  })
  const refuse = useMutation({
    mutationFn: ({ place, everywhere }: { place: Place; everywhere: boolean }) =>
      call('phrases.refuse', { id: place.suggested.phraseId, body: { pageId: everywhere ? null : place.page.pageId } }),
    onSuccess: (_, { place, everywhere }) => {
      pass(place)
      toast.success(everywhere ? `“${place.suggested.phrase}” is suggested nowhere any more.` : `Not on “${place.page.title}”.`, {
        action: { label: 'Undo', onClick: () => void call('phrases.allow', { id: place.suggested.phraseId }) },
      })
    },
    onError: (failure) => toast.error(wordsOf(failure)),
  })
  const isBusy = link.isPending || refuse.isPending
  const act = (key: string): boolean => {
    if (first === undefined || isBusy) return false
    if (key === 'l' && canLink) link.mutate(first)
    else if (key === 'o' && canLink) setWording(first)
    else if (key === 'p') location.assign(`/pages/${first.page.pageId}`)
    else if (key === 'n' && canLink) refuse.mutate({ place: first, everywhere: false })
    else if (key === 'v' && canLink) refuse.mutate({ place: first, everywhere: true })
    else if (key === 's') pass(first)
    else return false
    return true
  }
  const onKey = (event: KeyboardEvent): void => {
    if (event.ctrlKey || event.metaKey || event.altKey || event.target instanceof HTMLInputElement) return
    if (act(event.key.toLowerCase())) event.preventDefault()
  }
  return (
    <aside
      aria-label="Phrases worth linking"
      className="min-h-0 overflow-y-auto border-l bg-[color-mix(in_srgb,var(--sheet)_55%,var(--paper))] px-4 py-3 max-xl:col-span-2 max-xl:border-t max-xl:border-l-0"
    >
      <h2 className="text-[19px]">Phrases worth linking</h2>
      {data === undefined && job !== null && <Looking key={job} id={job} />}
      <p className="note" aria-live="polite">
        {data === undefined
          ? ''
          : `${data.suggestions} ${data.suggestions === 1 ? 'suggestion' : 'suggestions'} on ${data.pages.length} of ${data.looked} pages, ${data.pages.some(({ visits }) => visits > 0) ? 'those that are read most first' : 'best first'}`}
      </p>
      <Problem error={error} />
      {first !== undefined ? (
        <section ref={box} tabIndex={-1} aria-label="The next suggestion" className="sheet mt-3 px-4 py-3" onKeyDown={onKey}>
          <p className="note mb-1.5">
            {first.page.title} <span className="address">{readableAddress(first.page.path)}</span>
            {first.page.visits > 0 && `, read ${number(first.page.visits)} times in four weeks`}
          </p>
          <p className="text-[16px] leading-relaxed">
            {first.suggested.sentence.before}
            <mark className="border-b-2 border-rope bg-sun px-0.5 text-ink">{first.suggested.sentence.words}</mark>
            {first.suggested.sentence.behind}
          </p>
          <p className="mt-2">
            <span aria-hidden="true">→ </span>
            <span className="address">{readableAddress(first.suggested.leadsTo.replace(/^https?:\/\//, ''))}</span>
            {first.suggested.isPaid && <span className="note"> paid</span>}
          </p>
          <p className="note mb-2.5">{first.suggested.why}</p>
          <div className="flex flex-wrap gap-2">
            {canLink && (
              <button type="button" className="button button-main" disabled={isBusy} onClick={() => act('l')}>
                Link it <kbd>L</kbd>
              </button>
            )}
            {canLink && (
              <>
                <button type="button" className="button" aria-expanded={wording !== null} onClick={() => act('o')}>
                  Other words <kbd>O</kbd>
                </button>
                <button type="button" className="button" disabled={isBusy} onClick={() => act('n')}>
                  Not here <kbd>N</kbd>
                </button>
                <button type="button" className="button" disabled={isBusy} onClick={() => act('v')}>
                  Never this phrase <kbd>V</kbd>
                </button>
              </>
            )}
            <button type="button" className="button button-plain" onClick={() => act('s')}>
              Later <kbd>S</kbd>
            </button>
            <button type="button" className="button button-plain" onClick={() => act('p')}>
              See the page <kbd>P</kbd>
            </button>
          </div>
          {wording !== null && (
            <OtherWords
              key={nameOf(first)}
              suggested={first.suggested}
              isBusy={isBusy}
              onTake={(words) => link.mutate({ ...first, words })}
              onLeave={() => {
                setWording(null)
                box.current?.focus()
              }}
            />
          )}
        </section>
      ) : (
        data !== undefined &&
        !isFetching && (
          <p className="mt-3 text-ink-soft">
            {places.length > 0
              ? 'That was all of them.'
              : 'Nothing to suggest. Either every page has what it bears, or no phrase is set down that your pages use.'}
          </p>
        )
      )}
      {first !== undefined && <Room page={first.page} />}
      {open.length > 1 && (
        <ol className="mt-4 grid gap-1.5 border-t pt-3" aria-label="Those that follow">
          {open.slice(1, 9).map((place) => (
            <li key={nameOf(place)} className="truncate text-[14px]">
              <b className="font-semibold">{place.suggested.sentence.words}</b> · {place.page.title} <span aria-hidden="true">→</span>{' '}
              <span className="text-ink-soft">{place.suggested.leadsTo.replace(/^https?:\/\//, '')}</span>
            </li>
          ))}
        </ol>
      )}
      {first !== undefined && first.page.left.length > 0 && (
        <details className="note mt-3">
          <summary className="cursor-pointer">
            {first.page.left.length} more {first.page.left.length === 1 ? 'was' : 'were'} found on this page and left out
          </summary>
          <ul className="mt-1 grid gap-0.5 pl-3">
            {first.page.left.slice(0, 20).map(({ phrase, why }, i) => (
              // biome-ignore lint/suspicious/noArrayIndexKey: the same phrase may stand several times
              <li key={i}>
                {phrase}: {LEFT_WORDS[why]}
              </li>
            ))}
          </ul>
        </details>
      )}
      <p className="mt-4">
        <button type="button" className="button" onClick={onPhrases}>
          Phrases and what counts
        </button>
      </p>
    </aside>
  )
}

/** Whoever waits for less need not be told how far it is. */
const SHORT_MS = 1_500

/** How far the first look through the pages is. */
function Looking({ id }: { id: string }) {
  const [isLong, setLong] = useState(false)
  useEffect(() => {
    const timer = setTimeout(() => setLong(true), SHORT_MS)
    return () => clearTimeout(timer)
  }, [])
  const { job, stop, isStopping } = useJob(isLong ? id : null, true)
  return (
    <JobProgress
      job={job}
      words={({ done, total }) => `${done} of ${total} pages looked through`}
      beginning="looking through your pages …"
      onStop={isStopping || !isLong ? null : stop}
    />
  )
}

/** Words of the same sentence, to be linked in place of the phrase. */
function OtherWords({
  suggested: { sentence },
  isBusy,
  onTake,
  onLeave,
}: {
  suggested: Suggested
  isBusy: boolean
  onTake: (words: string) => void
  onLeave: () => void
}) {
  const [words, setWords] = useState(sentence.words)
  const fold = (text: string): string => text.replace(/\s+/g, ' ').trim()
  const stands = fold(words) !== '' && fold(`${sentence.before}${sentence.words}${sentence.behind}`).includes(fold(words))
  return (
    <form
      className="mt-3 grid gap-2 border-t pt-3"
      onSubmit={(event) => {
        event.preventDefault()
        if (stands && !isBusy) onTake(fold(words))
      }}
      onKeyDown={(event) => {
        if (event.key !== 'Escape') return
        event.stopPropagation()
        onLeave()
      }}
    >
      <TextField
        label="Words of this sentence to link"
        value={words}
        autoFocus
        onFocus={(event) => event.currentTarget.select()}
        onChange={setWords}
      />
      {!stands && <p className="text-[14px] text-red">These words do not stand in the sentence as they are written here.</p>}
      <p className="flex justify-end gap-2">
        <button type="button" className="button button-plain" onClick={onLeave}>
          Leave it
        </button>
        <button type="submit" className="button button-main" disabled={!stands || isBusy}>
          Link these words
        </button>
      </p>
    </form>
  )
}

const nameOf = ({ page, suggested }: Place): string => `${page.pageId} ${suggested.phraseId} ${suggested.from}`

/** Goes back to the version before the link, unless somebody went on from it. */
async function takeBack({ page }: Place, version: number): Promise<void> {
  try {
    await call('pages.restore', { id: page.pageId, body: { version, revision: page.version } })
    toast.success('The link is gone again.')
  } catch (failure) {
    toast.error(wordsOf(failure))
  }
}

/** How many paid links the page bears, and has. */
function Room({ page: { room } }: { page: PageWithPhrases }) {
  const left = Math.max(0, room.page - room.used)
  return (
    <div className="mt-3 flex items-center justify-between gap-4">
      <p className="min-w-0 text-[14px]">
        <b className="block font-semibold">Room on this page</b>
        <span className="text-ink-soft">
          {room.used} of {room.page} paid links; a paragraph bears one
        </span>
      </p>
      <span aria-hidden="true" className="flex shrink-0 items-center gap-2.5">
        {Array.from({ length: room.used }, (_, i) => (
          // biome-ignore lint/suspicious/noArrayIndexKey: all alike
          <i key={i} className="size-2.5 rounded-full bg-ink" />
        ))}
        {Array.from({ length: left }, (_, i) => (
          // biome-ignore lint/suspicious/noArrayIndexKey: all alike
          <i key={i} className="size-2.5 rounded-full border-2 border-rope" />
        ))}
      </span>
    </div>
  )
}
