export { type Candidate, type Choice, type ChoiceLimits, choose, NOT_CHOSEN, type NotChosen, type Standing } from './choose.ts'
export { type FoundPhrase, PHRASE_MAX_WORDS, Phrasebook } from './find.ts'
export { otherWords, type Prose, type ProsePiece, paragraphAt, readProse, sentenceIn, sourceOf } from './prose.ts'
export { keyOf, wordsOf } from './words.ts'
