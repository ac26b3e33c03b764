/** Strings looked through one by one before they are joined to the others. */
const LOOSE_MAX = 20_000

/**
 * Strings that words are looked for in, in lower case: joined to one text, through which a word is looked for ten times as
 * fast as through each by itself. New ones are looked through singly until they are many.
 */
export class Haystack {
  #text = ''
  /** Where each string begins in the text. */
  #starts = new Uint32Array(0)
  #joined = 0

  /** @param strings - all of them; those that were there before are the same */
  take(strings: readonly string[]): void {
    if (strings.length >= this.#joined && strings.length - this.#joined <= LOOSE_MAX) return
    this.#text = strings.join('\n')
    this.#joined = strings.length
    this.#starts = new Uint32Array(strings.length + 1)
    let at = 0
    for (let code = 0; code < strings.length; code++) {
      this.#starts[code] = at
      at += (strings[code] ?? '').length + 1
    }
    this.#starts[strings.length] = at
  }

  /** Sets a bit for each string that holds a word. @param word - without white space */
  mark(word: string, bit: number, strings: readonly string[], marks: Uint32Array): void {
    const starts = this.#starts
    for (let at = this.#text.indexOf(word), code = 0; at !== -1; at = this.#text.indexOf(word, starts[code] ?? 0)) {
      code = this.#stringAt(at, code)
      marks[code] = (marks[code] ?? 0) | bit
      if (++code >= this.#joined) break
    }
    for (let code = this.#joined; code < strings.length; code++)
      if (strings[code]?.includes(word) === true) marks[code] = (marks[code] ?? 0) | bit
  }

  /** The string that a place of the text lies in, from one on: near ones are found at once. */
  #stringAt(at: number, from: number): number {
    const starts = this.#starts
    let step = 1
    let low = from
    while (low + step < this.#joined && (starts[low + step] ?? 0) <= at) {
      low += step
      step *= 2
    }
    let high = Math.min(low + step, this.#joined)
    while (high - low > 1) {
      const middle = (low + high) >>> 1
      if ((starts[middle] ?? 0) <= at) low = middle
      else high = middle
    }
    return low
  }
}
