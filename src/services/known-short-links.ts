import type { ShortLinkFinder } from '../core/rules/index.ts'
import type { Database } from '../data/database.ts'
import { destinationsOf, type ShortLinkName } from '../data/short-link-slugs.ts'

/** A short link and where it leads, as threads are told of it. */
export interface NamedDestination extends ShortLinkName {
  readonly destination: string
}

/** Where short links lead, as far as somebody has asked: of a million only those that a page names are read. */
export class KnownShortLinks {
  readonly #db: Database
  readonly #siteId: string
  /** Null for one that there is not. */
  readonly #known = new Map<string, NamedDestination | null>()
  readonly #unknown = new Map<string, ShortLinkName>()

  constructor(db: Database, siteId: string) {
    this.#db = db
    this.#siteId = siteId
  }

  readonly find: ShortLinkFinder = (host, slug) => {
    const found = this.#known.get(nameOf({ host, slug }))
    if (found === undefined) this.#unknown.set(nameOf({ host, slug }), { host, slug })
    return found?.destination ?? null
  }

  /** These may lead elsewhere now. */
  forget(names: readonly ShortLinkName[]): void {
    for (const name of names) this.#known.delete(nameOf(name))
  }

  /** Those that there are. */
  get all(): readonly NamedDestination[] {
    return [...this.#known.values()].filter((each) => each !== null)
  }

  /** Reads those that were asked for in vain. @param more - that others asked for @returns whether there were any */
  async learn(more: readonly ShortLinkName[] = []): Promise<boolean> {
    for (const name of more) if (!this.#known.has(nameOf(name))) this.#unknown.set(nameOf(name), name)
    const asked = [...this.#unknown.values()]
    this.#unknown.clear()
    if (asked.length === 0) return false
    for (const name of asked) this.#known.set(nameOf(name), null)
    for (const { host, slug, destination } of await destinationsOf(this.#db, this.#siteId, asked))
      this.#known.set(nameOf({ host, slug }), { host, slug, destination })
    return true
  }
}

const nameOf = ({ host, slug }: ShortLinkName): string => `${host} ${slug}`
