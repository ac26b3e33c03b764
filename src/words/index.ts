/** What is said to people. Below this door nothing is said: a name and facts go up, and the screen puts them into words. */
export type { Words } from './english/index.ts'
export { type InWords, inWords } from './in-words.ts'
export * from './locale.ts'
export { isSpoken, spokenIn } from './spoken.ts'
export { type Fact, isTold, type Said, saysSame, type Told, tell } from './told.ts'
