import { applyPatches, differenceOf, type PatchSet, rebasePatches } from '../../core/markup/index.ts'
import type { FromFrame, Stretch } from './frame/messages.ts'

/** What the mirror needs of a draft. */
export interface MirroredDraft {
  readonly state: { readonly text: string }
  change(patches: PatchSet, how?: 'typing'): void
}

/** A text for the frame, as long as `ack` is the last edit it made. */
export interface Sync {
  readonly sync: number
  readonly ack: number
  readonly text: string
}

/**
 * Keeps the text in the frame and the draft the same, while both change. The frame numbers its edits and says on which
 * text they were made; an edit that was under way while the draft changed is moved to the new text.
 */
export class Mirror {
  readonly #draft: MirroredDraft
  /** What the frame shows, by the number of the text it was sent last. */
  #texts = new Map<number, string>()
  #sync = 0
  #ack = 0

  constructor(draft: MirroredDraft) {
    this.#draft = draft
  }

  get sync(): number {
    return this.#sync
  }
  get ack(): number {
    return this.#ack
  }

  /** The frame is shown the draft from the beginning. */
  start(): Sync {
    this.#ack = 0
    this.#texts.clear()
    return this.#send()
  }

  /** What to send after the draft changed; null when the frame has it already. */
  catchUp(): Sync | null {
    return this.#texts.get(this.#sync) === this.#draft.state.text ? null : this.#send()
  }

  /**
   * Takes an edit of the frame into the draft.
   * @returns false when the same place had been changed meanwhile: the draft stays, and the frame has to be sent its text
   */
  take({ sync, seq, patch }: Pick<Extract<FromFrame, { type: 'edit' }>, 'sync' | 'seq' | 'patch'>): boolean {
    const base = this.#texts.get(sync)
    this.#ack = seq
    if (base === undefined) return false
    for (const older of this.#texts.keys()) if (older < sync) this.#texts.delete(older)
    const next = applyPatches(base, [patch])
    this.#texts.set(sync, next)
    const { text } = this.#draft.state
    const moved = base === text ? null : rebasePatches(base, text, [patch])
    if (moved?.ok === false) {
      this.#texts.set(this.#sync, '') // whatever the frame shows is not the draft
      return false
    }
    // Edits on an older text leave the newer one unsent: the frame did not take it.
    if (sync !== this.#sync) this.#texts.delete(this.#sync)
    this.#draft.change(moved?.value ?? [patch], 'typing')
    return true
  }

  /** Tells whether offsets that the frame counts hold in the draft as it is. */
  holds({ sync, seq }: { readonly sync: number; readonly seq: number }): boolean {
    return sync === this.#sync && seq === this.#ack && this.#texts.get(sync) === this.#draft.state.text
  }

  #send(): Sync {
    this.#sync++
    const { text } = this.#draft.state
    this.#texts.set(this.#sync, text)
    return { sync: this.#sync, ack: this.#ack, text }
  }
}

/** Where the caret belongs after a change that was taken back or made again: behind what changed. */
export function caretAfter(before: string, after: string): Stretch | null {
  const change = differenceOf(before, after)
  if (change === null) return null
  const at = change.from + change.insert.length
  return { from: at, to: at }
}
