import type { Likeness } from './likeness.ts'

/**
 * What each likeness tells, as a logarithm of odds; the bias is what there is to be made good. Fitted by `npm run fit` to made-up
 * moves (bench/moves.ts) as a conditional logit in which no page at all is a choice, too; not written by hand.
 */
export const FITTED: Readonly<Record<Likeness, number>> & { readonly bias: number } = {
  bias: -9.28,
  'same path': 0.12,
  'same name': 1.37,
  'name grams': 1.03,
  'name grams, squared': 2.53,
  'title grams': 4.05,
  'title grams, squared': -1.41,
  'asked in page': -3.05,
  'page in asked': 4.46,
  words: 3.6,
  'words, squared': 4.55,
  'asked words in page': 1.62,
  folders: 1.76,
  'same parent': 1.8,
  'same name and folders': 2.39,
  'other numbers': -0.54,
  'numbers missing': 1.06,
  'other short parts': -2.19,
  'short parts missing': -0.46,
  'one slip': 5.47,
  'two slips': 3.97,
  'three slips': 0.6,
  below: 5.16,
  'name of the folder above': 0.94,
  'folder above in page': -0.84,
  'rare in common': 4.83,
  'large site': -3.85,
  'stood here': 0.05,
  'title then': 3.51,
  'other title then': -1.51,
  'text then': 27.86,
  'other text then': -1.96,
}
