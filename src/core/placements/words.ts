import { isBareAddress, saysLittle } from '../content/index.ts'
import type { WrittenLink } from '../rules/index.ts'

/** What the words of a link are, as a facet; its number is kept a row. */
export const WORDS = ['no words', 'picture without words', 'picture', 'bare address', 'says little', 'says where it leads'] as const
export type Words = (typeof WORDS)[number]

/** @param text - without white space at its ends; of a picture what stands for it */
export function wordsOf(text: string, shows: WrittenLink['shows']): Words {
  if (text === '') return shows === 'picture' ? 'picture without words' : 'no words'
  if (shows === 'picture') return 'picture'
  if (isBareAddress(text)) return 'bare address'
  return saysLittle(text) ? 'says little' : 'says where it leads'
}
