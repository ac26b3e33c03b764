import { alikeKey, readAlikeKey, type WrittenLink } from '../rules/index.ts'
import { Column, Numbered } from './columns.ts'
import { ROW_MEANING, rowFindings } from './findings.ts'
import { destinationOf, type Judge, type JudgedPlacement, type Placement, type PlacementPage } from './set.ts'
import { WORDS, wordsOf } from './words.ts'

/** A placement with what follows from its site's addresses. */
interface Read extends Pick<JudgedPlacement, 'placement' | 'facts'> {
  readonly destination: string
}

/** One page's rows: they stand together, wherever that is. */
export interface Stretch {
  readonly page: PlacementPage
  readonly from: number
  readonly to: number
}

/** The attribute values of a link as they stand in its tag; what its page says is kept with the page. */
type WrittenValues = Omit<WrittenLink, 'href' | 'baseHref' | 'baseTarget'>

/** A row says of its page, its place there, and of what is written; then what follows from the site's addresses. */
const COLUMNS = [
  'page',
  'ordinal',
  'start',
  'paragraph',
  'text',
  'href',
  'written',
  'address',
  'destination',
  'alike',
  'still',
  'words',
] as const
type Columns = Record<(typeof COLUMNS)[number], Column>

/** Rows of changed pages that may lie about before the others are moved together. */
const DEAD_MAX = 20_000

/** Beside the findings in `still`: its address begins with https. */
const IS_HTTPS = 2 ** 31

/**
 * All placements of a site as columns of numbers: some fifty bytes each, and their words and addresses once. What rules
 * decide is not in them. A page that is put anew has its rows at the end; the old ones lie dead until they are many.
 */
export class PlacementRows {
  /** Texts, addresses as written, in full, and normalised. */
  strings: Numbered
  readonly written: Numbered
  readonly alikes: Numbered
  columns: Columns
  /** By the number of the page; null for one that has no rows any more. */
  readonly stretches: (Stretch | null)[] = []
  length = 0
  live = 0
  /** Counts up when rows get other numbers. */
  generation = 0
  /** How often each host is linked to by https. */
  readonly httpsHosts = new Map<string, number>()
  /** Hosts whose number has changed, with what it was before; whoever has looked clears it. */
  readonly touchedHosts = new Map<string, number>()
  readonly #pageNumbers = new Map<string, number>()
  #order: number[] = []
  #judge: Judge
  readonly #writtenValues: WrittenValues[] = []
  /** By the number of the alike. */
  readonly #hostOf: string[] = []
  #tags: Column | null
  #tagStrings = new Numbered()

  /** @param keepsTags - whether start tags are kept too: they are most of what a list weighs */
  constructor(judge: Judge, keepsTags: boolean, kept: KeptRows | null = null) {
    this.#judge = judge
    this.#tags = keepsTags ? new Column() : null
    this.strings = new Numbered(kept?.strings)
    this.written = new Numbered(kept?.written)
    this.alikes = new Numbered(kept?.alikes)
    this.columns = Object.fromEntries(COLUMNS.map((name) => [name, new Column(kept?.columns[name])])) as Columns
    for (const stretch of kept?.stretches ?? []) {
      this.#order.push(this.stretches.length)
      this.#pageNumbers.set(stretch.page.id, this.stretches.length)
      this.stretches.push(stretch)
      this.length = Math.max(this.length, stretch.to)
      this.live += stretch.to - stretch.from
    }
    if (kept !== null) this.#countHosts()
  }

  /** The pages that have rows, in the order of their paths. */
  *inOrder(): Generator<{ readonly number: number; readonly stretch: Stretch }> {
    for (const number of this.#order) {
      const stretch = this.stretches[number]
      if (stretch !== null && stretch !== undefined) yield { number, stretch }
    }
  }

  numberOfPage(id: string): number | undefined {
    return this.#pageNumbers.get(id)
  }

  /**
   * Puts what is on a page now in place of what was on it. Costs what is on the page.
   * @returns the number of the page
   */
  put(page: PlacementPage, placements: readonly Placement[]): number {
    const known = this.#pageNumbers.get(page.id)
    const before = known === undefined ? null : (this.stretches[known] ?? null)
    const number = known ?? this.stretches.length
    if (before !== null) this.#drop(before)
    if (before === null || before.page.path !== page.path) {
      if (before !== null) this.#order = this.#order.filter((each) => each !== number)
      this.#pageNumbers.set(page.id, number)
      this.stretches[number] = null
      this.#order.splice(this.#placeFor(page.path), 0, number)
    }
    this.stretches[number] = { page, from: this.length, to: this.length }
    this.#append(number, placements)
    return number
  }

  /** Takes in more of what is on a page, or a new one. Costs what comes, where nothing was put behind the page since its last part. */
  add(page: PlacementPage, placements: readonly Placement[]): number {
    const number = this.#pageNumbers.get(page.id)
    if (number === undefined) return this.put(page, placements)
    this.#toEnd(number)
    this.#append(number, placements)
    return number
  }

  /** Moves the rows of a page behind all others: there they can grow. */
  #toEnd(number: number): void {
    const stretch = this.stretches[number]
    if (stretch === null || stretch === undefined || stretch.to === this.length) return
    const from = this.length
    for (let i = stretch.from; i < stretch.to; i++, this.length++) {
      for (const name of COLUMNS) this.columns[name].set(this.length, this.columns[name].at(i))
      this.#tags?.set(this.length, this.#tags.at(i))
    }
    this.stretches[number] = { page: stretch.page, from, to: this.length }
  }

  remove(pageId: string): void {
    const number = this.#pageNumbers.get(pageId)
    const stretch = number === undefined ? null : this.stretches[number]
    if (number === undefined || stretch === null || stretch === undefined) return
    this.#drop(stretch)
    this.stretches[number] = null
    this.#order = this.#order.filter((each) => each !== number)
    this.#pageNumbers.delete(pageId)
  }

  /** @returns whether the rows were moved together, and so have other numbers */
  tidy(): boolean {
    const dead = this.length - this.live
    if (dead < DEAD_MAX || dead < this.live / 2) return false
    const before = this.columns
    const strings = this.strings
    const moved = new Uint32Array(strings.length)
    const kept = new Numbered()
    const stringOf = (code: number): number => {
      const known = moved[code] ?? 0
      if (known > 0) return known - 1
      const now = kept.values.push(strings.values[code] ?? '') - 1
      moved[code] = now + 1
      return now
    }
    const columns = Object.fromEntries(COLUMNS.map((name) => [name, new Column(new Uint32Array(this.live))])) as Columns
    const tags = this.#tags === null ? null : new Column(new Uint32Array(this.live))
    let next = 0
    for (const { number, stretch } of this.inOrder()) {
      const from = next
      for (let i = stretch.from; i < stretch.to; i++, next++) {
        for (const name of COLUMNS) {
          const value = before[name].at(i)
          const isString = name === 'text' || name === 'href' || name === 'address' || name === 'destination'
          columns[name].set(next, isString ? stringOf(value) : value)
        }
        tags?.set(next, this.#tags?.at(i) ?? 0)
      }
      this.stretches[number] = { page: stretch.page, from, to: next }
    }
    this.strings = kept
    this.columns = columns
    this.#tags = tags
    this.length = next
    this.generation++
    return true
  }

  /** A row as it was put. Its start tag is "" where tags are not kept. */
  placementAt(i: number): Placement | null {
    const { columns, strings } = this
    const page = this.stretches[columns.page.at(i)]?.page
    if (i < 0 || i >= this.length || page === undefined) return null
    const text = (column: Column): string => strings.values[column.at(i)] ?? ''
    return {
      page,
      ordinal: columns.ordinal.at(i),
      start: columns.start.at(i),
      paragraph: columns.paragraph.at(i),
      tag: this.#tags === null ? '' : (this.#tagStrings.values[this.#tags.at(i)] ?? ''),
      text: text(columns.text),
      written: { ...this.writtenAt(i), href: text(columns.href), baseHref: page.baseHref, baseTarget: page.baseTarget },
    }
  }

  writtenAt(i: number): WrittenValues {
    return this.writtenValues(this.columns.written.at(i))
  }

  writtenValues(code: number): WrittenValues {
    let values = this.#writtenValues[code]
    if (values === undefined) {
      const [rel, target, byHand, tags, shows] = JSON.parse(this.written.values[code] ?? '[]') as [
        string,
        string,
        string,
        string,
        'text' | 'picture',
      ]
      values = { rel, target, byHand, tags, shows }
      this.#writtenValues[code] = values
    }
    return values
  }

  judgedAt(i: number): JudgedPlacement | null {
    const placement = this.placementAt(i)
    return placement === null ? null : this.#judge.judge(placement)
  }

  placeOf(page: PlacementPage): ReturnType<Judge['placeOf']> {
    return this.#judge.placeOf(page)
  }

  /** Of each row what follows from the site's addresses is worked out anew. */
  rederive(judge: Judge): void {
    this.#judge = judge
    this.httpsHosts.clear()
    for (const { stretch } of this.inOrder())
      for (let i = stretch.from; i < stretch.to; i++) {
        const placement = this.placementAt(i)
        if (placement !== null) this.#derive(i, this.#read(placement))
      }
  }

  /** The same of links of one kind alone. @returns rows that are others now */
  rederiveKind(judge: Judge, kind: string): number[] {
    this.#judge = judge
    const { alike } = this.columns
    const kinds = this.alikes.values.map((key) => readAlikeKey(key).kind === kind)
    const changed: number[] = []
    if (!kinds.includes(true)) return changed
    for (const { stretch } of this.inOrder())
      for (let i = stretch.from; i < stretch.to; i++) {
        const before = alike.at(i)
        const placement = kinds[before] === true ? this.placementAt(i) : null
        if (placement === null) continue
        this.#countHost(i, -1)
        this.#derive(i, this.#read(placement))
        if (alike.at(i) !== before) changed.push(i)
      }
    return changed
  }

  /** Changes what is known of pages, whose rows stay. Those have to be derived anew. */
  changePages(change: (page: PlacementPage) => PlacementPage): void {
    for (const [number, stretch] of this.stretches.entries())
      if (stretch !== null) this.stretches[number] = { ...stretch, page: change(stretch.page) }
  }

  /** Goes on with another judge, for whom every row is as it was. */
  trust(judge: Judge): void {
    this.#judge = judge
  }

  /** One row of each address of a kind. */
  *ofKind(kind: string): Generator<Placement> {
    const kinds = this.alikes.values.map((key) => readAlikeKey(key).kind === kind)
    if (!kinds.includes(true)) return
    const seen = new Set<number>()
    for (const { stretch } of this.inOrder())
      for (let i = stretch.from; i < stretch.to; i++) {
        if (kinds[this.columns.alike.at(i)] !== true || seen.has(this.columns.address.at(i))) continue
        seen.add(this.columns.address.at(i))
        const placement = this.placementAt(i)
        if (placement !== null) yield placement
      }
  }

  /** Everything, to be written down and read again. What goes on here does not change it. */
  kept(): KeptRows {
    const pages = [...this.inOrder()]
    const numbers = new Uint32Array(this.stretches.length)
    for (const [place, { number }] of pages.entries()) numbers[number] = place
    const page = this.columns.page.data.slice(0, this.length)
    for (let i = 0; i < page.length; i++) page[i] = numbers[page[i] ?? 0] ?? 0
    const columns = Object.fromEntries(COLUMNS.map((name) => [name, this.columns[name].data.slice(0, this.length)]))
    return {
      strings: this.strings.values,
      written: this.written.values,
      alikes: this.alikes.values,
      columns: { ...columns, page } as KeptRows['columns'],
      stretches: pages.map(({ stretch }) => stretch),
    }
  }

  #append(number: number, placements: readonly Placement[]): void {
    const { columns } = this
    const stretch = this.stretches[number]
    if (stretch === null || stretch === undefined) return
    const all = placements.map((placement) => this.#read(placement))
    this.strings.expect(
      all.flatMap(({ placement, facts, destination }) => [placement.text, placement.written.href, facts.address ?? '', destination]),
    )
    for (const read of all) {
      const { placement } = read
      const i = this.length++
      const { rel, target, byHand, tags, shows, href } = placement.written
      columns.page.set(i, number)
      columns.ordinal.set(i, placement.ordinal)
      columns.start.set(i, placement.start)
      columns.paragraph.set(i, placement.paragraph)
      columns.text.set(i, this.strings.numberOf(placement.text))
      columns.href.set(i, this.strings.numberOf(href))
      columns.written.set(i, this.written.numberOf(JSON.stringify([rel, target, byHand, tags, shows])))
      this.#tags?.set(i, this.#tagStrings.numberOf(placement.tag))
      this.#derive(i, read)
    }
    this.live += placements.length
    this.stretches[number] = { ...stretch, to: this.length }
  }

  #read(placement: Placement): Read {
    const facts = this.#judge.facts(placement)
    return { placement, facts, destination: destinationOf({ placement, facts }) }
  }

  #derive(i: number, { placement, facts, destination }: Read): void {
    const { columns, strings } = this
    columns.alike.set(i, this.alikes.numberOf(alikeKey(facts)))
    columns.address.set(i, strings.numberOf(facts.address ?? ''))
    columns.destination.set(i, strings.numberOf(destination))
    const words = wordsOf(placement.text, facts.shows)
    columns.words.set(i, WORDS.indexOf(words))
    const still = rowFindings({ placement, facts, words }) + (facts.address?.startsWith('https:') === true ? IS_HTTPS : 0)
    columns.still.set(i, still)
    this.#countHost(i, 1)
  }

  #drop({ from, to }: Stretch): void {
    this.live -= to - from
    for (let i = from; i < to; i++) this.#countHost(i, -1)
  }

  #countHost(i: number, by: 1 | -1): void {
    if ((this.columns.still.at(i) & IS_HTTPS) === 0) return
    const alike = this.columns.alike.at(i)
    const host = this.#hostOf[alike] ?? readAlikeKey(this.alikes.values[alike] ?? '').host
    this.#hostOf[alike] = host
    const before = this.httpsHosts.get(host) ?? 0
    if (!this.touchedHosts.has(host)) this.touchedHosts.set(host, before)
    const now = before + by
    if (now === 0) this.httpsHosts.delete(host)
    else this.httpsHosts.set(host, now)
  }

  #countHosts(): void {
    const counts = new Uint32Array(this.alikes.length)
    const [still, alike] = [this.columns.still.data, this.columns.alike.data]
    for (const { stretch } of this.inOrder())
      for (let i = stretch.from; i < stretch.to; i++) {
        const of = alike[i] ?? 0
        if (((still[i] ?? 0) & IS_HTTPS) !== 0) counts[of] = (counts[of] ?? 0) + 1
      }
    for (const [of, count] of counts.entries()) {
      const { host } = readAlikeKey(this.alikes.values[of] ?? '')
      if (count > 0) this.httpsHosts.set(host, (this.httpsHosts.get(host) ?? 0) + count)
    }
  }

  /** Where a page that has no rows yet belongs among those that have. */
  #placeFor(path: string): number {
    let [low, high] = [0, this.#order.length]
    while (low < high) {
      const middle = (low + high) >>> 1
      if (isBefore(this.stretches[this.#order[middle] ?? 0]?.page.path ?? '', path)) low = middle + 1
      else high = middle
    }
    return low
  }
}

/** Rows as they are written down. */
export interface KeptRows {
  readonly strings: string[]
  readonly written: string[]
  readonly alikes: string[]
  readonly columns: Record<(typeof COLUMNS)[number], Uint32Array<ArrayBuffer>>
  /** In the order of their paths; a page's number is its place here. */
  readonly stretches: readonly Stretch[]
}
export const KEPT_COLUMNS = COLUMNS
/** What the numbers of a row mean. */
export const KEPT_MEANING: string = JSON.stringify([COLUMNS, WORDS, ROW_MEANING])

/** The order of paths in which placements are stored: by code points, as PostgreSQL's "C" has it. */
export function isBefore(a: string, b: string): boolean {
  const length = Math.min(a.length, b.length)
  for (let i = 0; i < length; i++) {
    if (a.charCodeAt(i) === b.charCodeAt(i)) continue
    // Where they part within a surrogate pair, the first halves are the same and the second ones tell.
    return (a.codePointAt(i) ?? 0) < (b.codePointAt(i) ?? 0)
  }
  return a.length < b.length
}
