import { isBareAddress, saysLittle } from '../content/index.ts'
import { alikeKey, type CompiledSite, opensNewTab, type Reason, relTokens, strandOf } from '../rules/index.ts'
import { FINDINGS, type Finding, type Fine, findingsOf, fineKey, hasFinding, overdoneOf } from './findings.ts'
import { destinationOf, Judge, type JudgedPlacement, landsOf, type Placement } from './set.ts'

/** What a list of placements can be narrowed by; each has one value a placement, but for tags. */
export const FACETS = ['site', 'host', 'partner', 'strand', 'end', 'state', 'where', 'words', 'by', 'kind', 'folder', 'tag'] as const
export type Facet = (typeof FACETS)[number]

/** Which placements are wanted. Everything that is left out is not asked for. */
export interface PlacementQuery {
  /** Words that the anchor text, the address or the page's title holds, all of them. */
  readonly text?: string | undefined
  readonly facets?: Partial<Record<Facet, string>> | undefined
  readonly finding?: Finding | undefined
  /** Exactly this destination, as {@link destinationOf} writes it. */
  readonly destination?: string | undefined
}

/** Placements that lead to one destination. */
export interface DestinationGroup {
  readonly destination: string
  readonly links: number
  readonly pages: number
}

export interface PlacementAnswer {
  /** Indexes of the placements found, in the order of path and place. */
  readonly found: Uint32Array
  readonly pages: number
  /** By facet, its values with how many placements would be found with that value; most first. */
  readonly counts: Readonly<Record<Facet, readonly (readonly [value: string, links: number])[]>>
  readonly findings: Readonly<Partial<Record<Finding, number>>>
}

/** Values that a facet has, by number. */
class Column {
  readonly values: string[] = []
  readonly #numbers = new Map<string, number>()
  codes: Uint32Array<ArrayBuffer> = new Uint32Array(1024)

  set(i: number, value: string): void {
    let code = this.#numbers.get(value)
    if (code === undefined) {
      code = this.values.length
      this.values.push(value)
      this.#numbers.set(value, code)
    }
    if (i >= this.codes.length) {
      const grown = new Uint32Array(Math.max(i + 1, this.codes.length * 2))
      grown.set(this.codes)
      this.codes = grown
    }
    this.codes[i] = code
  }

  codeOf(value: string): number {
    return this.#numbers.get(value) ?? -1
  }

  /** Makes room for `added` rows in place of `removed` ones. @param length - rows that there were */
  splice(from: number, removed: number, added: number, length: number): void {
    const now = length - removed + added
    if (now > this.codes.length) {
      const grown = new Uint32Array(Math.max(now, this.codes.length * 2))
      grown.set(this.codes)
      this.codes = grown
    }
    this.codes.copyWithin(from + added, from + removed, length)
  }
}

const reasonKey = (reason: Reason): string => (reason.by === 'rule' ? `rule ${reason.id}` : reason.by)

/** How a link ends: what its rope's end shows. */
export const endOf = ({ facts, decision }: JudgedPlacement): 'file' | 'new tab' | 'same tab' =>
  facts.kind === 'file' ? 'file' : opensNewTab(decision.target ?? facts.baseTarget) ? 'new tab' : 'same tab'

/** The first folder of a page's path; a shared part has none. */
const folderOf = ({ kind, path }: Placement['page']): string => (kind === 'page' ? (/^\/[^/]+\//.exec(path)?.[0] ?? '/') : '')

/** All placements of a site, judged and ready to be asked again and again. Built up in steps while they come in. */
export class PlacementList {
  readonly judged: JudgedPlacement[] = []
  paths: ReadonlySet<string>
  readonly #judge: Judge
  readonly #columns = Object.fromEntries(FACETS.map((facet) => [facet, new Column()])) as Record<Facet, Column>
  readonly #destinations = new Column()
  readonly #alike = new Column()
  readonly #words: string[] = []
  readonly #tags: (readonly string[])[] = []
  readonly #bits: number[] = []
  /** How often each host is linked to by https. */
  readonly #httpsHosts = new Map<string, number>()
  #fine: ReadonlyMap<string, Fine>
  #finished = 0

  /** @param fine - findings that people marked as fine, by {@link fineKey} */
  constructor(site: CompiledSite, paths: ReadonlySet<string>, fine: ReadonlyMap<string, Fine> = new Map()) {
    this.#judge = new Judge(site)
    this.#fine = fine
    this.paths = paths
  }

  /** Takes placements in, in the order of path and place. */
  add(placements: readonly Placement[]): void {
    for (const placement of placements) {
      const judged = this.#judge.judge(placement)
      this.#fill(this.judged.push(judged) - 1, judged)
      this.#words.push(wordsFor(judged))
      this.#tags.push(judged.facts.tags)
      this.#bits.push(0)
    }
  }

  #fill(i: number, judged: JudgedPlacement): void {
    const { placement, facts, decision } = judged
    if (facts.address?.startsWith('https:') === true) this.#httpsHosts.set(facts.host, (this.#httpsHosts.get(facts.host) ?? 0) + 1)
    const set = (facet: Facet, value: string): void => this.#columns[facet].set(i, value)
    set('site', facts.site ?? '')
    set('host', facts.host)
    set('partner', facts.partner ?? '')
    set('kind', facts.kind ?? 'no address')
    set('strand', strandOf(relTokens(decision.rel)))
    set('end', endOf(judged))
    set('where', placement.page.kind)
    set('folder', folderOf(placement.page))
    set('state', stateOf(judged, this.paths))
    set('words', wordsOf(judged))
    set('by', reasonKey(decision.because.hints))
    this.#destinations.set(i, destinationOf(judged))
    this.#alike.set(i, alikeKey(facts))
  }

  /**
   * Puts what is on one page now in place of what was on it. Costs no more than moving the rest along.
   * @param placements - all of the page, or none where it is gone
   */
  replace(page: Pick<Placement['page'], 'id' | 'path'>, placements: readonly Placement[]): void {
    const before = this.judged.length
    let from = this.judged.findIndex(({ placement }) => placement.page.id === page.id)
    let to = from
    while (to !== -1 && this.judged[to]?.placement.page.id === page.id) to++
    if (from === -1) {
      from = this.#placeFor(page.path)
      to = from
    }
    const hosts = [...this.#httpsHosts.keys()].join(' ')
    for (const { facts } of this.judged.slice(from, to)) this.#forgetHost(facts)
    const judged = placements.map((placement) => this.#judge.judge(placement))
    for (const column of [...Object.values(this.#columns), this.#destinations, this.#alike])
      column.splice(from, to - from, judged.length, before)
    this.judged.splice(from, to - from, ...judged)
    this.#words.splice(from, to - from, ...judged.map(wordsFor))
    this.#tags.splice(from, to - from, ...judged.map(({ facts }) => facts.tags))
    this.#bits.splice(from, to - from, ...judged.map(() => 0))
    for (const [k, each] of judged.entries()) this.#fill(from + k, each)
    // What depends on the whole site is looked at again only where that changed.
    if (this.#finished !== before || hosts !== [...this.#httpsHosts.keys()].join(' ')) this.#finished = 0
    else {
      this.#findOn(from, from + judged.length)
      this.#finished = this.judged.length
    }
  }

  /** Where a page that has no links here yet belongs. */
  #placeFor(path: string): number {
    let last: Placement['page'] | null = null
    for (const [i, { placement }] of this.judged.entries()) {
      if (placement.page === last) continue
      last = placement.page
      if (isBefore(path, last.path)) return i
    }
    return this.judged.length
  }

  #forgetHost({ address, host }: JudgedPlacement['facts']): void {
    if (address?.startsWith('https:') !== true) return
    const left = (this.#httpsHosts.get(host) ?? 1) - 1
    if (left === 0) this.#httpsHosts.delete(host)
    else this.#httpsHosts.set(host, left)
  }

  /** Takes over which pages and files there are, and what people marked as fine. */
  know(paths: ReadonlySet<string>, fine: ReadonlyMap<string, Fine>): void {
    this.paths = paths
    this.#fine = fine
    this.#finished = 0
    for (const [i, judged] of this.judged.entries()) this.#columns.state.set(i, stateOf(judged, paths))
  }

  /** Judges again what leads to short links: these may lead elsewhere now. */
  judgeShortLinks(): void {
    const short = this.#columns.kind.codeOf('short link')
    for (let i = 0; i < this.judged.length; i++) {
      const before = this.judged[i]
      if (before === undefined || this.#columns.kind.codes[i] !== short) continue
      this.#forgetHost(before.facts)
      const judged = this.#judge.judge(before.placement)
      this.judged[i] = judged
      this.#fill(i, judged)
    }
    this.#finished = 0
  }

  /** A number that a placement shares with those of the same {@link alikeKey}. */
  alikeAt(i: number): number {
    return this.#alike.codes[i] ?? -1
  }

  /** Looks for findings among what has come in; what depends on the whole site is as known so far. */
  #findFindings(): void {
    if (this.#finished === this.judged.length) return
    for (let from = 0; from < this.judged.length; ) {
      let to = from + 1
      while (to < this.judged.length && this.judged[to]?.placement.page === this.judged[from]?.placement.page) to++
      this.#findOn(from, to)
      from = to
    }
    this.#finished = this.judged.length
  }

  /** Of one page. */
  #findOn(from: number, to: number): void {
    const knowledge = { httpsHosts: this.#httpsHosts, lands: ({ facts }: JudgedPlacement) => landsOf(facts, this.paths) }
    const page = this.judged.slice(from, to)
    const overdone = overdoneOf(page)
    for (const [k, judged] of page.entries())
      this.#bits[from + k] = this.#withoutFine(judged, findingsOf(judged, knowledge) | (overdone.get(k) ?? 0))
  }

  #withoutFine(judged: JudgedPlacement, bits: number): number {
    if (bits === 0 || this.#fine.size === 0) return bits
    let left = bits
    for (const [k, finding] of FINDINGS.entries())
      if ((bits & (1 << k)) !== 0 && this.#fine.has(fineKey(judged, finding))) left &= ~(1 << k)
    return left
  }

  /** What people marked as fine of a placement as it is now. */
  fineAt(i: number): readonly (Fine & { readonly finding: Finding })[] {
    const judged = this.judged[i]
    if (judged === undefined || this.#fine.size === 0) return []
    return FINDINGS.flatMap((finding) => {
      const fine = this.#fine.get(fineKey(judged, finding))
      return fine === undefined ? [] : [{ ...fine, finding }]
    })
  }

  findingsAt(i: number): readonly Finding[] {
    this.#findFindings()
    return FINDINGS.filter((finding) => hasFinding(this.#bits[i] ?? 0, finding))
  }

  ask(query: PlacementQuery): PlacementAnswer {
    this.#findFindings()
    const total = this.judged.length
    const words = (query.text ?? '')
      .toLowerCase()
      .split(/\s+/)
      .filter((word) => word !== '')
    const wanted = Object.entries(query.facets ?? {}).filter(([facet]) => facet !== 'tag') as [Facet, string][]
    const conditions = wanted.map(([facet, value]) => ({
      facet,
      codes: this.#columns[facet].codes,
      code: this.#columns[facet].codeOf(value),
    }))
    const tag = query.facets?.tag?.toLowerCase()
    const destination = query.destination === undefined ? null : this.#destinations.codeOf(query.destination)
    const bit = query.finding === undefined ? 0 : 1 << FINDINGS.indexOf(query.finding)
    const found = new Uint32Array(total)
    const pages = new Set<Placement['page']>()
    const counts = Object.fromEntries(FACETS.map((facet) => [facet, new Uint32Array(this.#columns[facet].values.length)])) as Record<
      Facet,
      Uint32Array
    >
    const tags = new Map<string, number>()
    const findings = new Array<number>(FINDINGS.length).fill(0)
    let length = 0
    for (let i = 0; i < total; i++) {
      // A placement that fails one facet alone is counted there: that is what choosing another value would find.
      let failed: Facet | null = null
      let fails = 0
      for (const { facet, codes, code } of conditions) {
        if (codes[i] === code) continue
        failed = facet
        if (++fails > 1) break
      }
      if (fails > 1) continue
      const isTagged = tag === undefined || this.#tags[i]?.some((each) => each.toLowerCase() === tag) === true
      if (!isTagged) {
        if (fails > 0) continue
        failed = 'tag'
        fails = 1
      }
      if (destination !== null && this.#destinations.codes[i] !== destination) continue
      const text = this.#words[i] ?? ''
      if (!words.every((word) => text.includes(word))) continue
      const bits = this.#bits[i] ?? 0
      if (fails === 0) for (let k = 0; k < FINDINGS.length; k++) if ((bits & (1 << k)) !== 0) findings[k] = (findings[k] ?? 0) + 1
      if (bit !== 0 && (bits & bit) === 0) continue
      if (fails === 1 && failed !== null) {
        if (failed === 'tag') this.#countTags(tags, i)
        else count(counts[failed], this.#columns[failed].codes[i])
        continue
      }
      for (const facet of FACETS) if (facet !== 'tag') count(counts[facet], this.#columns[facet].codes[i])
      this.#countTags(tags, i)
      found[length++] = i
      const page = this.judged[i]?.placement.page
      if (page !== undefined) pages.add(page)
    }
    const ranked = (facet: Facet): (readonly [string, number])[] =>
      facet === 'tag'
        ? [...tags].sort((a, b) => b[1] - a[1] || (a[0] < b[0] ? -1 : 1))
        : this.#columns[facet].values
            .map((value, code) => [value, counts[facet][code] ?? 0] as const)
            .filter(([value, links]) => links > 0 && value !== '')
            .sort((a, b) => b[1] - a[1] || (a[0] < b[0] ? -1 : 1))
    return {
      found: found.slice(0, length),
      pages: pages.size,
      counts: Object.fromEntries(FACETS.map((facet) => [facet, ranked(facet)])) as unknown as PlacementAnswer['counts'],
      findings: Object.fromEntries(FINDINGS.flatMap((finding, k) => ((findings[k] ?? 0) > 0 ? [[finding, findings[k]]] : []))),
    }
  }

  #countTags(tags: Map<string, number>, i: number): void {
    for (const tag of this.#tags[i] ?? []) tags.set(tag, (tags.get(tag) ?? 0) + 1)
  }

  /** The destinations of placements that were found, the most linked first. */
  group(found: Uint32Array): readonly DestinationGroup[] {
    const groups = new Map<number, { links: number; pages: Set<Placement['page']> }>()
    for (const i of found) {
      const code = this.#destinations.codes[i] ?? 0
      const group = groups.get(code) ?? { links: 0, pages: new Set() }
      groups.set(code, group)
      group.links++
      const page = this.judged[i]?.placement.page
      if (page !== undefined) group.pages.add(page)
    }
    return [...groups]
      .map(([code, { links, pages }]) => ({ destination: this.#destinations.values[code] ?? '', links, pages: pages.size }))
      .sort((a, b) => b.links - a.links || (a.destination < b.destination ? -1 : 1))
  }
}

const count = (counts: Uint32Array, code: number | undefined): void => {
  if (code !== undefined) counts[code] = (counts[code] ?? 0) + 1
}

/** Where a link leads to, as far as it is known. */
function stateOf({ facts }: JudgedPlacement, paths: ReadonlySet<string>): string {
  const lands = landsOf(facts, paths)
  return facts.isWaiting ? 'waits' : lands === null ? 'not checked' : lands ? 'lands' : 'does not land'
}

/** What is looked through when words are looked for. */
const wordsFor = ({ placement: { text, written, page }, facts }: JudgedPlacement): string =>
  `${text}\n${written.href}\n${facts.address ?? ''}\n${page.title}\n${page.path}`.toLowerCase()

/** The order of paths in which placements are stored: by code points, as PostgreSQL's "C" has it. */
function isBefore(a: string, b: string): boolean {
  const [left, right] = [[...a], [...b]]
  for (let i = 0; i < left.length && i < right.length; i++) {
    const difference = (left[i]?.codePointAt(0) ?? 0) - (right[i]?.codePointAt(0) ?? 0)
    if (difference !== 0) return difference < 0
  }
  return left.length < right.length
}

function wordsOf({ placement, facts }: JudgedPlacement): string {
  if (placement.text === '') return facts.shows === 'picture' ? 'picture without words' : 'no words'
  if (facts.shows === 'picture') return 'picture'
  if (isBareAddress(placement.text)) return 'bare address'
  return saysLittle(placement.text) ? 'says little' : 'says where it leads'
}
