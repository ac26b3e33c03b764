import { decodedName } from './destination.ts'

/** Parameters of a query that are looked at, inclusive. */
const PARAMETERS_MAX = 300

/** The parameters of a query, read once, and only when somebody asks for one. */
export class QueryParameters {
  readonly #query: string
  #byName: ReadonlyMap<string, ReadonlySet<string>> | null = null
  #isCut = false

  /** @param query - as sent, without "?"; "" for none */
  constructor(query: string) {
    this.#query = query
  }

  /** How many names there are; more than anybody asks for where there are too many parameters to be read. */
  get names(): number {
    const { size } = this.#read()
    return this.#isCut ? Number.POSITIVE_INFINITY : size
  }

  /** @param value - decoded; null for any */
  has(name: string, value: string | null): boolean {
    const values = this.#read().get(name)
    return values !== undefined && (value === null || values.has(value))
  }

  #read(): ReadonlyMap<string, ReadonlySet<string>> {
    if (this.#byName !== null) return this.#byName
    const read = new Map<string, Set<string>>()
    const pairs = this.#query === '' ? [] : this.#query.split('&', PARAMETERS_MAX + 1)
    this.#isCut = pairs.length > PARAMETERS_MAX
    for (const pair of pairs.slice(0, PARAMETERS_MAX)) {
      const at = pair.indexOf('=')
      const name = decodedName(at === -1 ? pair : pair.slice(0, at))
      const values = read.get(name) ?? new Set()
      values.add(at === -1 ? '' : decodedName(pair.slice(at + 1)))
      read.set(name, values)
    }
    this.#byName = read
    return read
  }
}
