import { ENGLISH } from './english/index.ts'
import { isTold, type Told } from './told.ts'

/** A value of which everything that was to be said stands in words. */
export type InWords<T> = T extends Told ? string : T extends Whole ? T : T extends object ? { [K in keyof T]: InWords<T[K]> } : T

/** What holds no sentences. */
type Whole = Date | Uint8Array | ReadonlyMap<unknown, unknown> | ReadonlySet<unknown> | ((...given: never[]) => unknown)

/** Facts are given to a sentence by name; each sentence says which it takes, and `tell` holds whoever names it to that. */
type Sentence = string | ((facts: never) => string)

const SENTENCES: Readonly<Record<string, Sentence>> = ENGLISH

/**
 * Puts into words what is to be said in a value, however deep it stands. What holds nothing of the kind comes back as it is.
 * A sentence that this version does not know, or that takes other facts by now (it was kept by another one), is said by its name.
 */
export function inWords<T>(value: T): InWords<T>
export function inWords(value: unknown): unknown {
  if (typeof value !== 'object' || value === null) return value
  if (isTold(value)) return sentenceOf(value)
  if (Array.isArray(value)) {
    const said = value.map((each: unknown) => inWords(each))
    return said.some((each, i) => each !== value[i]) ? said : value
  }
  if (!isPlain(value)) return value
  let said: Record<string, unknown> | null = null
  for (const [key, each] of Object.entries(value)) {
    const words: unknown = inWords(each)
    if (words !== each) {
      said ??= { ...value }
      said[key] = words
    }
  }
  return said ?? value
}

/** Dates, bytes and things with a class of their own hold no sentences. */
function isPlain(value: object): boolean {
  const made: unknown = Object.getPrototypeOf(value)
  return made === Object.prototype || made === null
}

function sentenceOf({ tell, of = {} }: Told): string {
  const sentence = Object.hasOwn(SENTENCES, tell) ? SENTENCES[tell] : undefined
  if (sentence === undefined) return byName(tell)
  if (typeof sentence === 'string') return sentence
  const facts: Record<string, unknown> = {}
  for (const [name, fact] of Object.entries(of)) facts[name] = inWords<unknown>(fact)
  try {
    return sentence(facts as never) // what a name takes is held by the type of `tell`
  } catch {
    return byName(tell)
  }
}

const byName = (name: string): string => name.replace(/^.*\./, '').replaceAll('-', ' ')
