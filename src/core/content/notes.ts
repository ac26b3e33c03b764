/** What people say of a page besides its text: kept beside it, never in it. */
export interface PageNotes {
  readonly tags: readonly string[]
  /** The partner that the page is written for. */
  readonly writtenFor: string | null
}

export const NO_NOTES: PageNotes = { tags: [], writtenFor: null }

export const isSameNotes = (a: PageNotes, b: PageNotes): boolean =>
  a.writtenFor === b.writtenFor && a.tags.length === b.tags.length && a.tags.every((tag, i) => tag === b.tags[i])
