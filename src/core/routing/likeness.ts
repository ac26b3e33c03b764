import type { Spelt } from './spelt.ts'

/**
 * In what a page may be like an address, each from 0 to 1. Of each the model knows how much it tells (see `fitted.ts`); "grams" are
 * runs of three letters, weighted by how rare they are on the site, and shared in proportion to all that either has (Jaccard).
 */
export const LIKENESSES = [
  'same path',
  'same name',
  'name grams',
  'name grams, squared',
  'title grams',
  'title grams, squared',
  'asked in page',
  'page in asked',
  'words',
  'words, squared',
  'asked words in page',
  'folders',
  'same parent',
  'same name and folders',
  'other numbers',
  'numbers missing',
  'other short parts',
  'short parts missing',
  'one slip',
  'two slips',
  'three slips',
  'below',
  'name of the folder above',
  'folder above in page',
  'rare in common',
  'large site',
  'stood here',
  'title then',
  'other title then',
  'text then',
  'other text then',
] as const
export type Likeness = (typeof LIKENESSES)[number]

/** What of two that are asked and there is another, or missing in one. @returns [other, missing] */
export const unlike = (asked: string, there: string): readonly [number, number] =>
  asked === there ? [0, 0] : asked === '' || there === '' ? [0, 1] : [1, 0]

/** Whether an address is one below a page: of a part of it, or of what became a part of it. */
export const isBelow = (asked: Spelt, page: Spelt): boolean => page.plain !== '' && asked.plain.startsWith(`${page.plain}/`)
