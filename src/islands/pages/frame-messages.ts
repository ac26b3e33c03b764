/** What the studio tells the frame that shows a page. */
export type ToFrame =
  | { readonly type: 'show'; readonly html: string; readonly css: string }
  | { readonly type: 'style'; readonly css: string }
  /** Brings a place into sight and marks it; a link by its source offset, words by run and shown offset. */
  | {
      readonly type: 'point'
      readonly link?: number
      readonly words?: { readonly run: number; readonly shown: number; readonly length: number }
    }

/** A place in the shown text: the run's source offset, and how many shown code units into it. */
export interface ShownPlace {
  readonly run: number
  readonly shown: number
}

/** What the frame tells the studio. */
export type FromFrame =
  | { readonly type: 'ready' }
  | { readonly type: 'shown' }
  | { readonly type: 'selection'; readonly from: ShownPlace; readonly to: ShownPlace; readonly words: string }
  | { readonly type: 'no selection' }
  | { readonly type: 'link'; readonly start: number }
  | { readonly type: 'key'; readonly key: 'link' | 'undo' | 'redo' }
  | { readonly type: 'paste'; readonly text: string }
