import type { Patch } from '../../../core/markup/index.ts'
import type { Strand } from '../../../core/rules/index.ts'

/** A stretch of source; equal offsets are a caret. */
export interface Stretch {
  readonly from: number
  readonly to: number
}

/** A place in the frame, in pixels from its upper left corner. */
export interface Spot {
  readonly left: number
  readonly bottom: number
}

/** A link or shared part as it is to be drawn in the page. */
export interface DrawnLink extends Stretch {
  readonly strand: Strand
  readonly isChosen: boolean
}

/** What stands around the caret: for the buttons of the bar. */
export interface Standing {
  readonly block: string
  readonly wraps: readonly string[]
  readonly isInList: boolean
  readonly isInTable: boolean
}

/** Changes of a page's writing, by name. `insert` takes source, and may choose the words it put in. */
export type Command =
  | { readonly name: 'block'; readonly element: string }
  | { readonly name: 'wrap'; readonly element: string }
  | { readonly name: 'list'; readonly element: 'ul' | 'ol' }
  | { readonly name: 'quote' | 'row' | 'column' | 'take row' | 'take column' | 'up' | 'down' | 'remove' }
  | { readonly name: 'paste'; readonly html: string }
  | { readonly name: 'insert'; readonly html: string; readonly where: 'here' | 'after'; readonly chooses?: boolean }

/** What the studio tells the frame that shows a page. `sync` numbers the texts it sends. */
export type ToFrame =
  | {
      readonly type: 'show'
      readonly sync: number
      readonly text: string
      readonly base: string
      /** Path on the studio's host from which the site's files are shown. */
      readonly files: string
      readonly css: string
      readonly isEditable: boolean
      readonly parts: Readonly<Record<string, string>>
    }
  | { readonly type: 'preview'; readonly html: string; readonly base: string; readonly files: string }
  /** The text changed elsewhere; holds only while `ack` is the last edit that the frame made. */
  | { readonly type: 'sync'; readonly sync: number; readonly ack: number; readonly text: string; readonly select: Stretch | null }
  | { readonly type: 'draw'; readonly sync: number; readonly ack: number; readonly links: readonly DrawnLink[] }
  | { readonly type: 'point'; readonly at: Stretch; readonly isFocused: boolean }
  | { readonly type: 'command'; readonly command: Command }
  /** A part around the page's text may be written on from now on. */
  | { readonly type: 'open part'; readonly at: number }

/** Keys that mean something beyond the page: link what is chosen, take the phrase that is suggested there, go to what stands beside it. */
export type Key = 'link' | 'suggested' | 'undo' | 'redo' | 'leave'

/** What the frame tells the studio. `sync` is the last text it took over, `seq` counts its own edits. */
export type FromFrame =
  | { readonly type: 'ready' }
  | { readonly type: 'shown'; readonly isClosed: boolean }
  | { readonly type: 'edit'; readonly sync: number; readonly seq: number; readonly patch: Patch; readonly select: Stretch }
  | {
      readonly type: 'select'
      readonly sync: number
      readonly seq: number
      readonly at: Stretch
      readonly words: string
      readonly standing: Standing
      /** Where the selected words end, in pixels of the frame; null for a caret, and where it is out of sight. */
      readonly ends: Spot | null
      /** The selection moved because the text changed elsewhere, and not by a person's hand. */
      readonly isEcho: boolean
    }
  /** A link within something that is kept as it is: the thing's place, and which of its links. */
  | { readonly type: 'link in thing'; readonly at: number; readonly ordinal: number }
  /** A shared part, as "block footer": what stands in it belongs to no page. */
  | { readonly type: 'part'; readonly part: string }
  /** Somebody tried to write on a part around the page's text. */
  | { readonly type: 'closed part'; readonly name: string; readonly at: number }
  | { readonly type: 'picture in thing'; readonly at: number; readonly ordinal: number }
  /** What was written would have been read otherwise than it was shown, and what became of it. */
  | { readonly type: 'differed'; readonly how: 'written anew' | 'typed again' | 'taken back' }
  | { readonly type: 'key'; readonly key: Key }
  | { readonly type: 'address'; readonly text: string; readonly how: 'pasted' | 'dropped' }
  /** Copied or cut here, as source. */
  | { readonly type: 'copied'; readonly html: string }
  /** Pasted from elsewhere, cleaned: the studio looks at its links and gives it back by the command `paste`. */
  | { readonly type: 'piece'; readonly html: string }
  | { readonly type: 'files'; readonly files: readonly File[] }
