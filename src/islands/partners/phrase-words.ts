import type { NotChosen } from '../../core/phrases/index.ts'

/** Why a place was left, in words. */
export const LEFT_WORDS: Readonly<Record<NotChosen, string>> = {
  'destination linked': 'the page leads there already',
  'paragraph full': 'its paragraph has a paid link',
  'page full': 'the page has all paid links that it bears',
  'too near': 'too near to another link',
  outweighed: 'in the way of what is worth more',
}
