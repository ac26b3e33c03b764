import type { Page, PageSource } from '../../contract/pages.ts'
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

/** How a save went. */
export type SaveAnswer =
  | { readonly state: 'saved'; readonly page: Page }
  | { readonly state: 'moved on'; readonly current: PageSource }
  | { readonly state: 'away' | 'refused'; readonly why: string }

export interface DraftSurroundings {
  readonly save: (id: string, version: number, patchSets: readonly PatchSet[]) => Promise<SaveAnswer>
  /** Outlives the tab; may refuse (private windows, full). */
  readonly storage: Pick<Storage, 'getItem' | 'setItem' | 'removeItem'>
  /** Runs `work` after so many milliseconds; answers how to call it off. */
  readonly later: (work: () => void, ms: number) => () => void
  readonly now: () => number
  readonly onSaving: (saving: Saving) => void
}

/** A draft is sent this long after the last change: a second is the most that may ever be lost. */
const SAVE_AFTER_MS = 500
/** While the server is away. */
const TRY_AGAIN_MS = 3_000

/** What other code sees of a draft; a new object after each change. */
export interface DraftState {
  readonly text: string
  readonly canUndo: boolean
  readonly canRedo: boolean
  /** Somebody else's newer version that changed the same place; a person has to choose. */
  readonly theirs: PageSource | null
  /** Said once after something happened by itself. */
  readonly news: string | null
}

interface Kept {
  readonly version: number
  readonly pending: PatchSet[]
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
  #undo: PatchSet[] = []
  #redo: PatchSet[] = []
  #isSaving = false
  #callOff: () => void = () => {}

  constructor(page: PageSource, around: DraftSurroundings) {
    this.#page = page
    this.#around = around
    this.#version = page.version
    this.#savedText = page.source
    this.state = { text: page.source, canUndo: false, canRedo: false, theirs: null, news: null }
    this.#takeUp()
  }

  subscribe = (listener: () => void): (() => void) => {
    this.#listeners.add(listener)
    return () => this.#listeners.delete(listener)
  }
  snapshot = (): DraftState => this.state

  /** Makes a change. Characters that the page's encoding lacks are written as references. */
  change(patches: PatchSet): void {
    const writable = patches.map((patch: Patch) => ({ ...patch, insert: writableIn(patch.insert, this.#page.encoding) }))
    this.#undo.push(invertPatches(this.state.text, writable))
    this.#redo = []
    this.#put(writable)
  }

  undo(): void {
    const patches = this.#undo.pop()
    if (patches === undefined) return
    this.#redo.push(invertPatches(this.state.text, patches))
    this.#put(patches)
  }

  redo(): void {
    const patches = this.#redo.pop()
    if (patches === undefined) return
    this.#undo.push(invertPatches(this.state.text, patches))
    this.#put(patches)
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

  #put(patches: PatchSet): void {
    this.#pending.push(patches)
    this.#show({ text: applyPatches(this.state.text, patches), news: null })
    this.#keep()
    this.#schedule(SAVE_AFTER_MS)
  }

  #show(change: Partial<DraftState>): void {
    this.state = { ...this.state, ...change, canUndo: this.#undo.length > 0, canRedo: this.#redo.length > 0 }
    for (const listener of this.#listeners) listener()
  }

  #schedule(ms: number): void {
    this.#callOff()
    if (ms === SAVE_AFTER_MS) this.#around.onSaving({ state: 'waiting' })
    this.#callOff = this.#around.later(() => void this.#send(), ms)
  }

  async #send(): Promise<void> {
    if (this.#isSaving || this.#pending.length === 0 || this.state.theirs !== null) return
    this.#isSaving = true
    const sent = this.#pending.length
    this.#around.onSaving({ state: 'saving' })
    const answer = await this.#around.save(this.#page.id, this.#version, this.#pending)
    this.#isSaving = false
    switch (answer.state) {
      case 'saved':
        for (const patches of this.#pending.splice(0, sent)) this.#savedText = applyPatches(this.#savedText, patches)
        this.#version = answer.page.version
        this.#keep()
        if (this.#pending.length > 0) this.#schedule(0)
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
    this.#show({ text: pending.reduce(applyPatches, page.source), theirs: null, news: null })
    this.#keep()
    if (pending.length > 0) this.#schedule(0)
    else this.#around.onSaving({ state: 'saved', at: this.#around.now() })
  }

  get #key(): string {
    return `map-rope draft ${this.#page.id}`
  }

  #keep(): void {
    try {
      if (this.#pending.length === 0) this.#around.storage.removeItem(this.#key)
      else this.#around.storage.setItem(this.#key, JSON.stringify({ version: this.#version, pending: this.#pending } satisfies Kept))
    } catch {
      // A browser that keeps nothing: the server has it half a second later.
    }
  }

  /** Goes on with what an earlier visit left unsaved. */
  #takeUp(): void {
    let kept: Kept | null = null
    try {
      kept = JSON.parse(this.#around.storage.getItem(this.#key) ?? 'null') as Kept | null
    } catch {
      // Not ours, or half written.
    }
    if (kept === null || !Array.isArray(kept.pending) || kept.version !== this.#page.version) return
    let text = this.#page.source
    for (const patches of kept.pending) {
      if (!isApplicable(patches, text.length)) return
      this.#undo.push(invertPatches(text, patches))
      text = applyPatches(text, patches)
    }
    this.#pending = kept.pending
    this.#show({ text, news: 'What was not saved last time is here again.' })
    this.#schedule(0)
  }
}
