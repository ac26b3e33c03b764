import type { Likeness } from './likeness.ts'

/**
 * What each likeness tells, as a logarithm of odds; the bias is what there is to be made good. Fitted by `npm run fit` to made-up
 * moves (bench/moves.ts) as a conditional logit in which no page at all is a choice, too; not written by hand.
 */
export const FITTED: Readonly<Record<Likeness, number>> & { readonly bias: number } = {
  bias: -8.79,
  'same path': 0.23,
  'same name': 1.44,
  'name grams': 0.58,
  'name grams, squared': 2.06,
  'title grams': 3.44,
  'title grams, squared': -0.83,
  'asked in page': -2.42,
  'page in asked': 3.9,
  words: 3.66,
  'words, squared': 5.06,
  'asked words in page': 0.93,
  folders: 1.5,
  'same parent': 1.85,
  'same name and folders': 2.71,
  'other numbers': -0.72,
  'numbers missing': 1.06,
  'other short parts': -2.26,
  'short parts missing': -0.52,
  'one slip': 5.41,
  'two slips': 3.89,
  'three slips': 0.44,
  below: 5.17,
  'name of the folder above': 1.22,
  'folder above in page': -0.83,
  'rare in common': 5.37,
  'large site': -3.9,
  'stood here': 0.02,
  'title then': 3.2,
  'other title then': -1.53,
  'text then': 27.21,
  'other text then': -2.16,
}
