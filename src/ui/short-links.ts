import { useMemo, useSyncExternalStore } from 'react'
import type { NamedShortLinks } from '../contract/short-links.ts'
import { type CompiledSite, compileSite, type ShortLinkFinder, type SiteSetup, withShortLinks } from '../core/rules/index.ts'
import { call, wordsOf } from './api.ts'

/** Asked for in one call at most; more wait for the next. */
const AT_ONCE = 200

/** Where short links lead, as far as a screen has come across them: those it does not know are asked for, and told of when they come. */
export class ShortLinkKnowledge {
  readonly #known = new Map<string, string | null>()
  readonly #wanted = new Set<string>()
  readonly #listeners = new Set<() => void>()
  readonly #ask: (names: { host: string; slug: string }[]) => Promise<NamedShortLinks>
  #isAsking = false
  #finder: ShortLinkFinder

  constructor(askNamed = (links: { host: string; slug: string }[]) => call('short-links.named', { body: { links } })) {
    this.#ask = askNamed
    this.#finder = this.#newFinder()
  }

  /** Another function whenever more is known, so that what was worked out with it is worked out anew. */
  get finder(): ShortLinkFinder {
    return this.#finder
  }

  subscribe = (listener: () => void): (() => void) => {
    this.#listeners.add(listener)
    return () => this.#listeners.delete(listener)
  }

  #newFinder(): ShortLinkFinder {
    return (host, slug) => {
      const name = `${host} ${slug}`
      const found = this.#known.get(name)
      if (found === undefined && !this.#wanted.has(name)) {
        this.#wanted.add(name)
        queueMicrotask(() => void this.#askWanted())
      }
      return found ?? null
    }
  }

  async #askWanted(): Promise<void> {
    if (this.#isAsking || this.#wanted.size === 0) return
    this.#isAsking = true
    const names = [...this.#wanted].slice(0, AT_ONCE)
    try {
      const { items } = await this.#ask(names.map((name) => ({ host: name.split(' ')[0] ?? '', slug: name.split(' ')[1] ?? '' })))
      for (const name of names) this.#known.set(name, null)
      for (const { host, slug, destination } of items) this.#known.set(`${host} ${slug}`, destination)
      for (const name of names) this.#wanted.delete(name)
      this.#finder = this.#newFinder()
      for (const listener of this.#listeners) listener()
    } catch (error) {
      // Their links are shown as leading nowhere known until they are asked for again.
      console.warn(wordsOf(error))
      this.#wanted.clear()
    } finally {
      this.#isAsking = false
    }
    void this.#askWanted()
  }
}

/** A site as a screen judges links by. */
export function useSite(setup: SiteSetup, port: number): CompiledSite {
  const knowledge = useMemo(() => new ShortLinkKnowledge(), [])
  const ground = useMemo(() => compileSite(setup, port), [setup, port])
  const finder = useSyncExternalStore(knowledge.subscribe, () => knowledge.finder)
  return useMemo(() => withShortLinks(ground, finder), [ground, finder])
}
