import type { PageSaved, PageSource } from '../../contract/pages.ts'
import { isSameNotes, type PageNotes } from '../../core/content/index.ts'
import {
  applyPatches,
  differenceOf,
  invertPatches,
  isApplicable,
  type Patch,
  type PatchSet,
  rebasePatches,
  writableIn,
} from '../../core/markup/index.ts'
import type { Saving } from '../../ui/saving.ts'
import { type TypedRun, typedRun } from './typed-run.ts'

/** How a save went. */
export type SaveAnswer =
  | { readonly state: 'saved'; readonly page: PageSaved }
  | { readonly state: 'moved on'; readonly current: PageSource }
  | { readonly state: 'away' | 'refused'; readonly why: string }

export interface DraftSurroundings {
  /** @param notes - what is said of the page, where that changed */
  readonly save: (id: string, version: number, patchSets: readonly PatchSet[], notes: PageNotes | undefined) => Promise<SaveAnswer>
  /** Outlives the tab; may refuse (private windows, full). */
  readonly storage: Pick<Storage, 'getItem' | 'setItem' | 'removeItem'>
  /** Runs `work` after so many milliseconds; answers how to call it off. */
  readonly later: (work: () => void, ms: number) => () => void
  readonly now: () => number
  readonly onSaving: (saving: Saving) => void
  readonly onSaved?: ((page: PageSaved) => void) | undefined
}

/** A draft is sent this long after the last change, and no later than this after the first one that waits. */
const SAVE_AFTER_MS = 500
const SAVE_WITHIN_MS = 1_000
/** While the server is away. */
const TRY_AGAIN_MS = 3_000

/** What other code sees of a draft; a new object after each change. */
export interface DraftState {
  readonly text: string
  /** What is said of the page besides its text. */
  readonly notes: PageNotes
  /** The last change was typed; more may follow at once. */
  readonly isTyping: boolean
  /** The last change took one back, or made it again: the caret goes where it was made. */
  readonly isTurn: boolean
  readonly canUndo: boolean
  readonly canRedo: boolean
  /** Somebody else's newer version that changed the same place; a person has to choose. */
  readonly theirs: PageSource | null
  /** Said once after something happened by itself. */
  readonly news: string | null
}

/** Patch sets that are taken back together, the newest last. */
interface Step {
  readonly sets: PatchSet[]
  /** Where the typing goes on that the step is made of; null for any other change. */
  run: TypedRun | null
  /** What was said of the page before, where the step changed that. */
  readonly notes?: PageNotes
}

interface Kept {
  readonly version: number
  readonly pending: PatchSet[]
  readonly notes?: PageNotes | undefined
}

/**
 * One page being edited. Each change is a patch set on the source; patch sets wait in the browser's storage until the
 * server has them, so a reload, a crash or a lost connection loses nothing. A newer version of somebody else's is merged
 * where the places differ, and shown where they do not.
 */
export class PageDraft {
  state: DraftState
  readonly #around: DraftSurroundings
  readonly #page: PageSource
  readonly #listeners = new Set<() => void>()
  #version: number
  /** The text the server has. */
  #savedText: string
  #pending: PatchSet[] = []
  #undo: Step[] = []
  #redo: Step[] = []
  /** What is said of the page has changed, and the server does not know yet. */
  #notesWait = false
  #waitsSince: number | null = null
  #baseKept: number | null = null
  #isSaving = false
  #callOff: () => void = () => {}

  constructor(page: PageSource, around: DraftSurroundings) {
    this.#page = page
    this.#around = around
    this.#version = page.version
    this.#savedText = page.source
    this.state = {
      text: page.source,
      notes: notesOf(page),
      isTyping: false,
      isTurn: false,
      canUndo: false,
      canRedo: false,
      theirs: null,
      news: null,
    }
    this.#takeUp()
  }

  subscribe = (listener: () => void): (() => void) => {
    this.#listeners.add(listener)
    return () => this.#listeners.delete(listener)
  }
  snapshot = (): DraftState => this.state

  /** Makes a change. Characters that the page's encoding lacks are written as references. */
  change(patches: PatchSet, how?: 'typing'): void {
    const writable = patches.map((patch: Patch) => ({ ...patch, insert: writableIn(patch.insert, this.#page.encoding) }))
    this.#remember(this.state.text, writable, how === 'typing')
    this.#redo = []
    this.#put([writable], how === 'typing')
  }

  /** Makes a step of a change, or lets it join the last one: what is typed is taken back word by word. */
  #remember(before: string, patches: PatchSet, isTyped: boolean): void {
    const last = this.#undo[this.#undo.length - 1]
    const inverse = invertPatches(before, patches)
    const run = isTyped ? typedRun(before, patches, last?.run ?? null) : null
    if (run?.goesOn === true && last !== undefined) {
      last.sets.push(inverse)
      last.run = run
    } else this.#undo.push({ sets: [inverse], run })
  }

  /**
   * The server tells a newer version of the page (it was published, or somebody saved). Where the text is the one that is
   * here, nothing is forgotten; else it comes in as one change that can be taken back.
   */
  meet(page: PageSource): void {
    if (page.version <= this.#version || this.#isSaving || this.#isWaiting || this.state.theirs !== null) return
    const change = differenceOf(this.state.text, page.source)
    this.#version = page.version
    this.#savedText = page.source
    if (!isSameNotes(notesOf(page), this.state.notes)) this.#show({ notes: notesOf(page) })
    if (change === null) return
    this.#undo.push({ sets: [invertPatches(this.state.text, [change])], run: null })
    this.#redo = []
    this.#show({ text: page.source, isTyping: false, isTurn: true })
  }

  /**
   * Makes a change that was worked out on an earlier text, where it still fits.
   * @returns false when the same place has changed since
   */
  changeFrom(text: string, patches: PatchSet): boolean {
    const moved = text === this.state.text ? null : rebasePatches(text, this.state.text, patches)
    if (moved?.ok === false) return false
    this.change(moved?.value ?? patches)
    return true
  }

  /** Says something else of the page. */
  note(notes: PageNotes): void {
    if (isSameNotes(notes, this.state.notes)) return
    this.#undo.push({ sets: [], run: null, notes: this.state.notes })
    this.#redo = []
    this.#putNotes(notes)
  }

  #putNotes(notes: PageNotes): void {
    this.#notesWait = true
    this.#show({ notes, isTyping: false, isTurn: false })
    this.#put([], false)
  }

  undo(): void {
    this.#back(this.#undo, this.#redo)
  }

  redo(): void {
    this.#back(this.#redo, this.#undo)
  }

  #back(from: Step[], to: Step[]): void {
    const step = from.pop()
    if (step === undefined) return
    if (step.notes !== undefined) {
      to.push({ sets: [], run: null, notes: this.state.notes })
      return this.#putNotes(step.notes)
    }
    const sets = [...step.sets].reverse()
    const inverses: PatchSet[] = []
    let { text } = this.state
    for (const patches of sets) {
      inverses.push(invertPatches(text, patches))
      text = applyPatches(text, patches)
    }
    to.push({ sets: inverses, run: null })
    this.#put(sets, false, true)
  }

  /** Takes the newer version of somebody else, and lets the own change go. */
  takeTheirs(): void {
    const { theirs } = this.state
    if (theirs === null) return
    this.#restart(theirs, [])
  }

  /** Puts the own text on top of the newer version; theirs stays in the page's history. */
  keepMine(): void {
    const { theirs, text } = this.state
    if (theirs === null) return
    const change = differenceOf(theirs.source, text)
    this.#restart(theirs, change === null ? [] : [[change]])
  }

  #put(sets: readonly PatchSet[], isTyping: boolean, isTurn = false): void {
    this.#pending.push(...sets)
    this.#keep()
    this.#show({ text: sets.reduce<string>(applyPatches, this.state.text), isTyping, isTurn, news: null })
    this.#waitsSince ??= this.#around.now()
    this.#schedule(Math.max(0, Math.min(SAVE_AFTER_MS, this.#waitsSince + SAVE_WITHIN_MS - this.#around.now())))
  }

  #show(change: Partial<DraftState>): void {
    this.state = { ...this.state, ...change, canUndo: this.#undo.length > 0, canRedo: this.#redo.length > 0 }
    for (const listener of this.#listeners) listener()
  }

  #schedule(ms: number): void {
    this.#callOff()
    if (ms <= SAVE_AFTER_MS) this.#around.onSaving({ state: 'waiting' })
    this.#callOff = this.#around.later(() => void this.#send(), ms)
  }

  async #send(): Promise<void> {
    if (this.#isSaving || !this.#isWaiting || this.state.theirs !== null) return
    this.#isSaving = true
    this.#waitsSince = null
    const sent = this.#pending.length
    const notes = this.#notesWait ? this.state.notes : undefined
    this.#around.onSaving({ state: 'saving' })
    const answer = await this.#around.save(this.#page.id, this.#version, this.#pending, notes)
    this.#isSaving = false
    switch (answer.state) {
      case 'saved':
        for (const patches of this.#pending.splice(0, sent)) this.#savedText = applyPatches(this.#savedText, patches)
        this.#version = answer.page.version
        if (notes === this.state.notes) this.#notesWait = false
        this.#around.onSaved?.(answer.page)
        this.#keep()
        if (this.#isWaiting) this.#schedule(0)
        else this.#around.onSaving({ state: 'saved', at: this.#around.now() })
        return
      case 'away':
        this.#around.onSaving({ state: 'kept here', why: answer.why })
        this.#schedule(TRY_AGAIN_MS)
        return
      case 'refused':
        this.#around.onSaving({ state: 'refused', why: answer.why })
        return
      case 'moved on':
        this.#meet(answer.current)
    }
  }

  /** Somebody saved in the meantime. */
  #meet(current: PageSource): void {
    if (current.source === this.state.text) return this.#restart(current, []) // the same draft, from another tab
    const mine = differenceOf(this.#savedText, this.state.text)
    const moved = mine === null ? null : rebasePatches(this.#savedText, current.source, [mine])
    if (moved === null || moved.ok) {
      this.#restart(current, moved === null ? [] : [moved.value])
      this.#show({
        news: `${current.editedBy ?? 'Somebody'} saved this page in the meantime, in another place. Both changes are in it now.`,
      })
      return
    }
    this.#show({ theirs: current })
    this.#around.onSaving({ state: 'conflict', why: 'Somebody else changed the same place.' })
  }

  #restart(page: PageSource, pending: PatchSet[]): void {
    this.#version = page.version
    this.#savedText = page.source
    this.#pending = pending
    this.#undo = []
    this.#redo = []
    const notes = this.#notesWait ? this.state.notes : notesOf(page)
    this.#show({ text: pending.reduce(applyPatches, page.source), notes, isTyping: false, isTurn: false, theirs: null, news: null })
    this.#keep()
    if (this.#isWaiting) this.#schedule(0)
    else this.#around.onSaving({ state: 'saved', at: this.#around.now() })
  }

  get #isWaiting(): boolean {
    return this.#pending.length > 0 || this.#notesWait
  }

  get #key(): string {
    return `map-rope draft ${this.#page.id}`
  }

  #keep(): void {
    const { storage } = this.#around
    try {
      if (!this.#isWaiting) {
        storage.removeItem(this.#key)
        storage.removeItem(`${this.#key} base`)
        this.#baseKept = null
        return
      }
      // The text that the changes count in is long and changes seldom; the changes are short and come with every key.
      if (this.#baseKept !== this.#version) storage.setItem(`${this.#key} base`, this.#savedText)
      this.#baseKept = this.#version
      storage.setItem(
        this.#key,
        JSON.stringify({
          version: this.#version,
          pending: this.#pending,
          notes: this.#notesWait ? this.state.notes : undefined,
        } satisfies Kept),
      )
    } catch {
      // A browser that keeps nothing: the server has it half a second later.
    }
  }

  /** Goes on with what an earlier visit left unsaved. */
  #takeUp(): void {
    let kept: Kept | null = null
    let base: string | null = null
    try {
      kept = JSON.parse(this.#around.storage.getItem(this.#key) ?? 'null') as Kept | null
      base = this.#around.storage.getItem(`${this.#key} base`)
    } catch {
      // Not ours, or half written.
    }
    if (kept === null || !Array.isArray(kept.pending)) return
    if (kept.notes !== undefined) {
      this.#notesWait = true
      this.state = { ...this.state, notes: kept.notes }
    }
    if (kept.version !== this.#page.version) return this.#takeUpOlder(base, kept.pending)
    const text = applied(this.#page.source, kept.pending)
    if (text === null) return
    let before = this.#page.source
    for (const patches of kept.pending) {
      this.#remember(before, patches, true)
      before = applyPatches(before, patches)
    }
    this.#pending = kept.pending
    this.#show({ text, news: 'What was not saved last time is here again.' })
    this.#schedule(0)
  }

  /** The page moved on since: what was left is put on top of it, or shown beside it where both changed the same place. */
  #takeUpOlder(base: string | null, pending: readonly PatchSet[]): void {
    const mine = base === null ? null : applied(base, pending)
    if (this.#notesWait) this.#schedule(0)
    if (base === null || mine === null || mine === this.#page.source) return
    const change = differenceOf(base, mine)
    const moved = change === null ? null : rebasePatches(base, this.#page.source, [change])
    if (moved === null) return
    if (!moved.ok) {
      this.#show({ text: mine, theirs: this.#page })
      this.#around.onSaving({ state: 'conflict', why: 'Somebody else changed the same place.' })
      return
    }
    this.#pending = [moved.value]
    this.#show({
      text: applyPatches(this.#page.source, moved.value),
      news: 'What was not saved last time is here again, on top of what others saved since.',
    })
    this.#schedule(0)
  }
}

const notesOf = ({ tags, writtenFor }: PageNotes): PageNotes => ({ tags, writtenFor })

/** The text with all patch sets on it; null when one of them does not fit. */
function applied(text: string, sets: readonly PatchSet[]): string | null {
  let next = text
  for (const patches of sets) {
    if (!isApplicable(patches, next.length)) return null
    next = applyPatches(next, patches)
  }
  return next
}
