import { type ReactNode, useEffect, useState } from 'react'
import { z } from 'zod'
import { Refusal } from './api.ts'
import { beginDraft, type Draft, isSame, type Mergers, meet, take } from './merging.ts'
import { keptIn, putKept } from './unsaved.ts'

/** Fields, and the version of what they belong to. */
export interface Versioned<T> {
  readonly value: T
  readonly version: number
}

/** What is being edited, and what somebody else made of it meanwhile. */
export interface Edited<T> {
  readonly value: T
  set(change: Partial<T>): void
  readonly isChanged: boolean
  /** Fields that somebody else changed as well, to something else; nothing is saved before each is chosen. */
  readonly theirs: Partial<T>
  choose(name: keyof T & string, whose: 'mine' | 'theirs'): void
  /**
   * Sends it, on top of the version it was made on. Where somebody saved in between, what does not touch theirs is sent on top of
   * that at once; where both changed the same, nothing is sent, and both stand side by side.
   * @param read - the version that a refusal brings
   */
  save<A>(send: (value: T, version: number) => Promise<A>, read: (current: unknown) => Versioned<T>): Promise<A>
  /** It was saved, and this is what stands there now. */
  saved(now: Versioned<T>): void
  /** All as it was saved last. */
  putBack(): void
  /** It came back from before a reload. */
  readonly wasKept: boolean
}

interface EditedOptions<T> {
  /** Under which it is kept in this tab until it is saved; left out for what is too secret to keep. */
  readonly key?: string | undefined
  /** Takes what was kept; null where it does not fit any more. */
  readonly read?: ((kept: unknown) => T | null) | undefined
  /** It stands in a view of the screen that another one may take the place of, and is kept then as well; a window asks before it closes. */
  readonly isView?: boolean | undefined
  readonly mergers?: Mergers<T> | undefined
}

/** Somebody saving at each of them would be no accident any more. */
const TRIES_MAX = 5

/**
 * Fields on top of what is saved. A newer version that comes meanwhile, by the log or with a refusal, takes nothing away:
 * what does not touch is merged, what does stands side by side until somebody chooses.
 */
export function useEdited<T extends object>(
  { value: saved, version }: Versioned<T>,
  { key, read = readsLike(saved), isView = false, mergers }: EditedOptions<T> = {},
): Edited<T> {
  const [draft, setDraft] = useState<Draft<T>>(() => beginDraft(saved, version))
  const [wasKept, setWasKept] = useState(false)
  // biome-ignore lint/correctness/useExhaustiveDependencies: taken up once, when the form wakes
  useEffect(() => {
    const kept = key === undefined ? null : readDraft(keptIn(key), read)
    if (kept !== null && !isSame(kept.mine, kept.base)) {
      setDraft(meet(kept, saved, version, mergers))
      setWasKept(true)
    }
    return () => {
      if (key !== undefined && !isView) putKept(key, null)
    }
  }, [])
  // What somebody else saved is taken up as soon as it is shown here.
  if (version > draft.version) setDraft(meet(draft, saved, version, mergers))
  const isChanged = !isSame(draft.mine, draft.base)
  useEffect(() => {
    if (key !== undefined) putKept(key, isChanged ? draft : null)
  }, [key, draft, isChanged])
  return {
    value: draft.mine,
    isChanged,
    theirs: draft.theirs,
    wasKept,
    set: (change) => setDraft((before) => ({ ...before, mine: { ...before.mine, ...change } })),
    choose: (name, whose) => setDraft((before) => take(before, name, whose)),
    async save(send, readCurrent) {
      let current = draft
      for (let tries = 1; ; tries++) {
        try {
          return await send(current.mine, current.version)
        } catch (error) {
          if (!(error instanceof Refusal) || error.fault !== 'moved-on' || error.facts.current === undefined) throw error
          const { value, version: at } = readCurrent(error.facts.current)
          current = meet(current, value, at, mergers)
          setDraft(current)
          if (Object.keys(current.theirs).length > 0 || tries === TRIES_MAX) throw error
        }
      }
    },
    saved: (now) => setDraft(beginDraft(now.value, now.version)),
    putBack: () => setDraft((before) => beginDraft(before.base, before.version)),
  }
}

/** What was kept has the same fields, of the same kinds. */
const readsLike =
  <T extends object>(sample: T) =>
  (kept: unknown): T | null => {
    if (typeof kept !== 'object' || kept === null) return null
    const there = kept as Readonly<Record<string, unknown>>
    const isAlike = Object.entries(sample).every(([name, value]) => {
      const each = there[name]
      return value === null || each === null || (typeof each === typeof value && Array.isArray(each) === Array.isArray(value))
    })
    return isAlike ? (kept as T) : null
  }

const Kept = z.object({ base: z.unknown(), version: z.number(), mine: z.unknown(), theirs: z.record(z.string(), z.unknown()) })
function readDraft<T extends object>(kept: unknown, read: (value: unknown) => T | null): Draft<T> | null {
  const found = Kept.safeParse(kept)
  if (!found.success) return null
  const [base, mine] = [read(found.data.base), read(found.data.mine)]
  return base === null || mine === null ? null : { base, mine, version: found.data.version, theirs: found.data.theirs as Partial<T> }
}

/** Both sides of each field that two people changed, to be taken one by one. Nothing where there is none. */
export function Sides<T extends object>({
  edited: { value, theirs, choose, wasKept },
  words,
  show = (each) => String(each ?? ''),
}: {
  edited: Edited<T>
  /** What each field is called. */
  words: Readonly<Partial<Record<keyof T & string, string>>>
  show?: (value: unknown, name: keyof T & string) => ReactNode
}) {
  const names = Object.keys(theirs) as (keyof T & string)[]
  return (
    <>
      {wasKept && <p className="note">What you had filled in here is here again.</p>}
      {names.length > 0 && (
        <section
          role="alert"
          aria-label="Changed by somebody else as well"
          className="grid gap-2.5 rounded-md border border-[var(--red)] px-3.5 py-3"
        >
          <p>Somebody else changed the same meanwhile, and saved it. Take one of the two for each; until then nothing of yours is lost.</p>
          {names.map((name) => (
            <fieldset key={name} className="grid grid-cols-2 gap-2.5 border-t max-md:grid-cols-1">
              <legend className="field-label !mb-0 pt-2">{words[name] ?? name}</legend>
              {(['mine', 'theirs'] as const).map((whose) => (
                <div key={whose} className="grid content-between gap-1.5">
                  <p className="[overflow-wrap:anywhere]">
                    <span className="note block">{whose === 'mine' ? 'Yours' : 'Theirs'}</span>
                    {show(whose === 'mine' ? value[name] : theirs[name], name) || <i className="text-ink-soft">nothing</i>}
                  </p>
                  <button type="button" className="button justify-self-start" onClick={() => choose(name, whose)}>
                    Take {whose === 'mine' ? 'yours' : 'theirs'}
                    <span className="sr-only"> for {words[name] ?? name}</span>
                  </button>
                </div>
              ))}
            </fieldset>
          ))}
        </section>
      )}
    </>
  )
}

/** Whether there is nothing left to choose. */
export const isAgreed = ({ theirs }: Pick<Edited<object>, 'theirs'>): boolean => Object.keys(theirs).length === 0

/** What has no version of its own: one that counts how often it was seen to be another. */
export function useVersioned<T extends object>(value: T): Versioned<T> {
  const [seen, setSeen] = useState<Versioned<T>>({ value, version: 1 })
  if (seen.value === value || isSame(seen.value, value)) return seen
  const next = { value, version: seen.version + 1 }
  setSeen(next)
  return next
}

/** The fields that are others now: what is left out of a change stays as somebody else may have set it. */
export const changedOf = <T extends object>(before: T, now: T): Partial<T> =>
  Object.fromEntries(Object.entries(now).filter(([name, value]) => !isSame(value, before[name as keyof T]))) as Partial<T>
