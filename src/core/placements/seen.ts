import { VERDICTS, type Verdict } from '../checks/index.ts'

/** What is said of a destination, as lists are told it. */
export interface ToldVerdict {
  /** As addresses are compared, without a section. */
  readonly address: string
  /** Null where nobody has looked. */
  readonly verdict: Verdict | null
  /** Visitors find nothing there, and nobody finds that fine. */
  readonly isBroken: boolean
}

/** A verdict as a byte: 0 where nobody has looked. */
const BROKEN_BIT = 0x40
const codeOf = ({ verdict, isBroken }: ToldVerdict): number =>
  verdict === null ? 0 : (VERDICTS.indexOf(verdict) + 1) | (isBroken ? BROKEN_BIT : 0)
export const VERDICT_CODES = VERDICTS.length + 1
/** The number of a verdict, by which they are counted; 0 for none. */
export const verdictNumber = (code: number): number => code & (BROKEN_BIT - 1)
export const verdictNamed = (number: number): Verdict | null => VERDICTS[number - 1] ?? null
const REFUSED = VERDICTS.indexOf('refused') + 1

/** Whether a visitor lands there; null where nobody knows. */
export const landsBy = (code: number): boolean | null => (code === 0 || verdictNumber(code) === REFUSED ? null : (code & BROKEN_BIT) === 0)

/** Strings by number, as far as they are looked at here. */
interface Strings {
  readonly length: number
  readonly values: readonly string[]
  find(value: string): number
}

/** What is said of the destinations of a list, by the numbers that their addresses have there. */
export class SeenDestinations {
  #codes = new Uint8Array(0)
  /** Numbers of addresses with a section, by the address of their page. */
  readonly #sections = new Map<string, number[]>()
  #read = 0

  /** The code of a destination, by its number. */
  at(number: number): number {
    return this.#codes[number] ?? 0
  }

  /** The strings have other numbers now. */
  move(before: Strings, now: Strings): void {
    const [codes, length] = [this.#codes, before.length]
    this.#codes = new Uint8Array(now.length)
    this.#sections.clear()
    this.#read = 0
    for (let number = 0; number < Math.min(codes.length, length); number++) {
      const code = codes[number] ?? 0
      const moved = code === 0 ? -1 : now.find(before.values[number] ?? '')
      if (moved !== -1) this.#codes[moved] = code
    }
  }

  /** Takes over what is said. @returns the numbers of destinations of which something else is said now */
  know(told: readonly ToldVerdict[], strings: Strings): ReadonlySet<number> {
    if (this.#codes.length < strings.length) {
      const grown = new Uint8Array(Math.max(strings.length, this.#codes.length * 2))
      grown.set(this.#codes)
      this.#codes = grown
    }
    for (; this.#read < strings.length; this.#read++) {
      const value = strings.values[this.#read] ?? ''
      const at = value.indexOf('#')
      if (at < 1 || !/^https?:/i.test(value)) continue
      const page = value.slice(0, at)
      this.#sections.set(page, [...(this.#sections.get(page) ?? []), this.#read])
    }
    const changed = new Set<number>()
    for (const each of told) {
      const code = codeOf(each)
      const numbers = [strings.find(each.address), ...(this.#sections.get(each.address) ?? [])]
      for (const number of numbers) {
        if (number === -1 || this.#codes[number] === code) continue
        this.#codes[number] = code
        changed.add(number)
      }
    }
    return changed
  }
}
