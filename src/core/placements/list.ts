import { VERDICTS, type Verdict } from '../checks/index.ts'
import {
  type Compared,
  type CompiledSite,
  EXAMPLES_PER_GROUP,
  type Impact,
  ImpactTally,
  Looks,
  type RulesDraft,
  readAlikeKey,
} from '../rules/index.ts'
import { Classes } from './classes.ts'
import { Column, longEnough } from './columns.ts'
import { type ClassFacts, Decided } from './decided.ts'
import {
  bitOf,
  FINDING_SETS,
  FINDINGS,
  type Finding,
  type Fine,
  fineKey,
  givenFindings,
  hasFinding,
  landingFindings,
  pageFindings,
  ROW_BITS,
} from './findings.ts'
import { findingsIn, Narrowing, type STATES_BY_NUMBER } from './narrowing.ts'
import type { DestinationGroups, PlacementAnswer, PlacementQuery, Sort } from './query.ts'
import { type KeptRows, PlacementRows, type Stretch } from './rows.ts'
import { landsBy, SeenDestinations, type ToldVerdict, verdictNamed, verdictNumber } from './seen.ts'
import { isOnSite, Judge, type JudgedPlacement, type Placement, type PlacementPage } from './set.ts'
import type { ShownList } from './shown.ts'
import { Sorting } from './sorting.ts'

const [LANDS, MISSING] = [VERDICTS.indexOf('lands') + 1, VERDICTS.indexOf('missing') + 1]

/** Answers kept until something changes: whoever scrolls asks for the next part of the same one. */
const ANSWERS_MAX = 6

/** What a list is judged by besides the rules. */
export interface ListKnowledge {
  /** Of every page and file of the site. */
  readonly paths: ReadonlySet<string>
  /** Findings that people marked as fine, by {@link fineKey}. */
  readonly fine: ReadonlyMap<string, Fine>
}

/**
 * All placements of a site, judged and ready to be asked again and again. What is put is looked at when somebody asks next:
 * a page that changed costs that page, a change of rules the classes of placements that rules can tell apart.
 */
export class PlacementList {
  readonly rows: PlacementRows
  #site: CompiledSite
  #knowledge: ListKnowledge
  #decided: Decided
  /** Paths without a page from which a redirect leads to somewhere. */
  #led: readonly string[] = []
  #landing: ReadonlySet<string>
  /** Addresses of our own, by their number, at which no page or file is. */
  readonly #without = new Set<number>()
  #hasNewWithout = false
  /** By row: its class and 1, 0 where it has none yet; then findings, and {@link STATES_BY_NUMBER}. */
  readonly #classOf = new Column()
  readonly #bits = new Column()
  #state = new Uint8Array(0)
  /** By row: the number of what is said of its destination. */
  #verdict = new Uint8Array(0)
  readonly #seen = new SeenDestinations()
  /** By row: 0 does not land, 1 lands, 2 nobody knows. */
  #ends = new Uint8Array(0)
  /** By the number of an address of our own: whether there is such a page or file; 2 where nobody has looked. */
  #lands = new Uint8Array(0)
  /** Numbers of pages whose rows nobody has looked at since they changed. */
  #stale = new Set<number>()
  #generation = -1
  readonly #answers = new Map<string, PlacementAnswer>()
  readonly #sorting = new Sorting()
  #scratch: Uint32Array<ArrayBuffer> = new Uint32Array(0)
  #groups: { readonly found: Uint32Array; readonly groups: DestinationGroups } | null = null

  /**
   * @param options - `kept`: rows to begin with, derived for the same hosts and partners; `keepsTags`: see {@link PlacementRows}
   */
  constructor(site: CompiledSite, knowledge: ListKnowledge, options: { keepsTags?: boolean; kept?: KeptRows | null } = {}) {
    this.#site = site
    this.#knowledge = knowledge
    this.#landing = knowledge.paths
    this.rows = new PlacementRows(new Judge(site), options.keepsTags === true, options.kept ?? null)
    this.#decided = new Decided(this.rows, site)
    this.#staleAll()
  }

  /** How many placements there are. */
  get total(): number {
    return this.rows.live
  }
  /** Paths at which a link lands: of pages and files, and those that a redirect leads on from. */
  get paths(): ReadonlySet<string> {
    return this.#landing
  }
  /** Of every page and file of the site. */
  get ownPaths(): ReadonlySet<string> {
    return this.#knowledge.paths
  }
  get fine(): ReadonlyMap<string, Fine> {
    return this.#knowledge.fine
  }
  get site(): CompiledSite {
    return this.#site
  }

  /** Takes placements in, each page's together. */
  add(placements: readonly Placement[]): void {
    for (let from = 0; from < placements.length; ) {
      const page = placements[from]?.page
      if (page === undefined) return
      let to = from + 1
      while (to < placements.length && placements[to]?.page.id === page.id) to++
      this.#touch(this.rows.add(page, placements.slice(from, to)))
      from = to
    }
  }

  /** Puts what is on one page now in place of what was on it. */
  replace(page: PlacementPage, placements: readonly Placement[]): void {
    this.#touch(this.rows.put(page, placements))
  }

  /** A page is gone. */
  remove(pageId: string): void {
    this.rows.remove(pageId)
    this.#answers.clear()
  }

  /** Takes over which pages and files there are, and what people marked as fine. */
  know(knowledge: ListKnowledge): void {
    if (knowledge.paths !== this.ownPaths) this.#without.clear()
    this.#knowledge = knowledge
    this.#landAnew()
  }

  #landAnew(): void {
    this.#landing = this.#led.length === 0 ? this.ownPaths : new Set([...this.ownPaths, ...this.#led])
    this.#lands.fill(2)
    this.#staleAll()
  }

  /** Takes over from which of {@link pathsWithout} a redirect leads to somewhere: links to them land. @returns whether any are others */
  knowLed(paths: readonly string[]): boolean {
    const led = [...paths].sort()
    if (led.length === this.#led.length && led.every((path, i) => path === this.#led[i])) return false
    this.#led = led
    this.#landAnew()
    return true
  }

  /** Whether there are {@link pathsWithout} of which nobody has been told yet. */
  get hasNewWithout(): boolean {
    this.#settle()
    return this.#hasNewWithout
  }

  /** Paths of our own that links lead to, and that have no page or file. */
  pathsWithout(): string[] {
    this.#settle()
    this.#hasNewWithout = false
    return [...new Set([...this.#without].map((code) => new URL(this.rows.strings.values[code] ?? '').pathname))]
  }

  /** Pages and files have come, or gone. */
  knowPaths(changed: readonly { readonly path: string; readonly isHere: boolean }[]): void {
    const different = changed.filter(({ path, isHere }) => this.ownPaths.has(path) !== isHere)
    if (different.length === 0) return
    const paths = new Set(this.ownPaths)
    for (const { path, isHere } of different) {
      if (isHere) paths.add(path)
      else paths.delete(path)
    }
    this.know({ ...this.#knowledge, paths })
  }

  /** Takes over what is said of destinations, as far as links lead to them: of those alone the pages are looked at again. */
  knowVerdicts(told: readonly ToldVerdict[]): void {
    const changed = this.#seen.know(told, this.rows.strings)
    if (changed.size === 0) return
    const { destination, page } = this.rows.columns
    for (const { stretch } of this.rows.inOrder())
      for (let i = stretch.from; i < stretch.to; i++)
        if (changed.has(destination.at(i))) {
          this.#touch(page.at(i))
          break
        }
  }

  /** Destinations that links lead to, from a number of strings on: whoever adds pages asks what is said of theirs. */
  destinationsFrom(number: number): string[] {
    const found: string[] = []
    for (let at = number; at < this.rows.strings.length; at++) {
      const value = this.rows.strings.values[at] ?? ''
      if (/^https?:\/\//i.test(value)) found.push(value.replace(/#.*$/s, ''))
    }
    return found
  }

  /** Whether a visitor lands where a link leads; null where nobody knows. */
  landsAt(i: number): boolean | null {
    this.#settle()
    return ([false, true, null] as const)[this.#ends[i] ?? 2] ?? null
  }

  /** The same, with what is said of where it leads; null where nobody has looked. */
  seenAt(i: number): { lands: boolean | null; verdict: Verdict | null } {
    return { lands: this.landsAt(i), verdict: verdictNamed(this.#verdict[i] ?? 0) }
  }

  /** Other destinations wait for an editor. @param waitingOn - of a page, by its id */
  knowWaiting(waitingOn: (pageId: string) => readonly string[]): void {
    this.rows.changePages((page) => ({ ...page, waiting: waitingOn(page.id) }))
    this.rederive(this.#site)
  }

  /** Other rules are in force; hosts and partners are the same. */
  judgeBy(site: CompiledSite): void {
    this.#site = site
    this.rows.trust(new Judge(site))
    this.#decideAnew()
  }

  /** Judges everything by another site: its hosts or partners are others. */
  rederive(site: CompiledSite): void {
    this.#site = site
    this.rows.rederive(new Judge(site))
    this.#without.clear()
    this.#lands.fill(2)
    this.#decideAnew()
  }

  /** Judges again what leads to short links: these may lead elsewhere now. */
  judgeShortLinks(): void {
    for (const i of this.rows.rederiveKind(new Judge(this.#site), 'short link')) {
      this.#classOf.set(i, 0)
      this.#touch(this.rows.columns.page.at(i))
    }
  }

  judgedAt(i: number): JudgedPlacement | null {
    return this.rows.judgedAt(i)
  }

  /** The links of one page, in their order; of them those whose row `fits`. */
  judgedOn(pageId: string, fits: (i: number) => boolean = () => true): readonly JudgedPlacement[] {
    const number = this.rows.numberOfPage(pageId)
    const stretch = number === undefined ? null : this.rows.stretches[number]
    const found: JudgedPlacement[] = []
    for (let i = stretch?.from ?? 0; i < (stretch?.to ?? 0); i++) {
      const judged = fits(i) ? this.judgedAt(i) : null
      if (judged !== null) found.push(judged)
    }
    return found
  }

  /** From which pages, blocks and menus links lead to these destinations, written as {@link destinationOf} does. */
  pagesLeadingTo(destinations: readonly string[]): ReadonlyMap<string, ReadonlySet<PlacementPage>> {
    const found = new Map<string, Set<PlacementPage>>(destinations.map((each) => [each, new Set()]))
    const byCode = new Map(destinations.flatMap((each) => [[this.rows.strings.find(each), found.get(each)] as const]))
    const codes = this.rows.columns.destination.data
    if (destinations.length > 0)
      for (const { stretch } of this.rows.inOrder())
        for (let i = stretch.from; i < stretch.to; i++) byCode.get(codes[i] ?? -1)?.add(stretch.page)
    return found
  }

  /** Those of one page's links that do not land, as far as that can be told without asking anybody outside. */
  frayedOn(pageId: string): readonly JudgedPlacement[] {
    return this.judgedOn(pageId, (i) => this.findingsAt(i).includes('does not land'))
  }

  /** The row of a placement; -1 where it is not. */
  rowOf(pageId: string, ordinal: number): number {
    const number = this.rows.numberOfPage(pageId)
    const stretch = number === undefined ? null : this.rows.stretches[number]
    for (let i = stretch?.from ?? 0; i < (stretch?.to ?? 0); i++) if (this.rows.columns.ordinal.at(i) === ordinal) return i
    return -1
  }

  /** What people marked as fine of a placement as it is now. */
  fineAt(i: number): readonly (Fine & { readonly finding: Finding })[] {
    const judged = this.judgedAt(i)
    if (judged === null || this.#knowledge.fine.size === 0) return []
    return FINDINGS.flatMap((finding) => {
      const fine = this.#knowledge.fine.get(fineKey(judged, finding))
      return fine === undefined ? [] : [{ ...fine, finding }]
    })
  }

  findingsAt(i: number): readonly Finding[] {
    this.#settle()
    return FINDINGS.filter((finding) => hasFinding(this.#bits.at(i), finding))
  }

  /** Does what the first question, and the first one for words, would wait for, a piece at a time. What changes meanwhile is looked at later. */
  *gettingReady(): Generator<void> {
    yield* this.settling()
    yield* this.rows.strings.gettingReady()
    this.ask({})
  }

  /** Does what the first question in an order would wait for, a piece at a time. */
  *gettingSorted(sort: Sort): Generator<void> {
    yield* this.#sorting.gettingReady(sort, this.rows)
  }

  ask(query: PlacementQuery): PlacementAnswer {
    this.#settle()
    const { sort = 'page', isDown = false } = query
    const key = JSON.stringify({ ...query, sort, isDown })
    const known = this.#answers.get(key)
    if (known !== undefined) return known
    const answer = new Narrowing(this.#shown, query).answer()
    const sorted = { ...answer, found: this.#sorting.sort(answer.found, sort, isDown, this.#shown) }
    if (this.#answers.size >= ANSWERS_MAX) this.#answers.delete(this.#answers.keys().next().value ?? '')
    this.#answers.set(key, sorted)
    return sorted
  }

  /** How often each finding is there; on how many pages one of them is, and its first rows. Costs less than a question. */
  overview(of: Finding, most: number): { findings: PlacementAnswer['findings']; pages: number; rows: readonly number[] } {
    this.#settle()
    const bit = bitOf(of)
    const bits = this.#bits.data
    const byBits = new Uint32Array(FINDING_SETS)
    const rows: number[] = []
    let pages = 0
    for (const { stretch } of this.rows.inOrder()) {
      let isThere = false
      for (let i = stretch.from; i < stretch.to; i++) {
        const its = bits[i] ?? 0
        if (its === 0) continue
        byBits[its] = (byBits[its] ?? 0) + 1
        if ((its & bit) === 0) continue
        isThere = true
        if (rows.length < most) rows.push(i)
      }
      if (isThere) pages++
    }
    return { findings: findingsIn(byBits), pages, rows }
  }

  /** The destinations of the placements that a query finds, the most linked first. */
  group(query: PlacementQuery): DestinationGroups {
    // Pages are counted by going from one to the next.
    const { found } = this.ask({ ...query, sort: undefined, isDown: undefined })
    if (this.#groups?.found !== found) this.#groups = { found, groups: this.#sorting.group(found, this.#shown) }
    return this.#groups.groups
  }

  /** What another list of rules would change, with rows as examples. */
  impact(rules: RulesDraft): Impact<number> {
    this.#settle()
    const draft = this.#site.compile(rules)
    const looks = new Looks(this.#site.rules, draft)
    // Where a link leads makes no difference that the rules do not ask for: there are a hundred times fewer of these classes.
    const classes = new Classes(this.rows, looks, true)
    const tally = new ImpactTally<number>(this.#site.rules, draft)
    const classOf = this.#classOf.data
    const compare = (i: number): Compared<number> | undefined => {
      const known = this.#decided.known[(classOf[i] ?? 0) - 1]
      const facts = looks.asksForMore ? this.judgedAt(i)?.facts : known?.facts
      if (known === undefined || facts === undefined) return undefined
      const address = this.rows.strings.values[this.rows.columns.address.at(i)] ?? ''
      return tally.compare({ ...facts, address: address === '' ? null : address }, known.decision)
    }
    const alike = this.rows.columns.alike.data
    const changed = new Uint32Array(this.rows.alikes.length)
    const compared: (Compared<number> | undefined)[] = []
    // Of the page that is looked at, by class: its first rows, which may serve as examples, and how many there are.
    const firsts: number[][] = []
    let counts = new Uint32Array(64)
    for (const { stretch } of this.rows.inOrder()) {
      const met: number[] = []
      for (let i = stretch.from; i < stretch.to; i++) {
        const number = classes.of(i)
        if (number >= counts.length) counts = longEnough(counts, number + 1, 0)
        if (number >= compared.length) compared[number] = compare(i)
        if (compared[number]?.key != null) changed[alike[i] ?? 0] = (changed[alike[i] ?? 0] ?? 0) + 1
        const count = counts[number] ?? 0
        counts[number] = count + 1
        if (count === 0) {
          met.push(number)
          firsts[number] = [i]
        } else if (count < EXAMPLES_PER_GROUP) firsts[number]?.push(i)
      }
      const shown: [row: number, of: Compared<number>][] = []
      for (const number of met) {
        const rows = firsts[number] ?? []
        const seen = compared[number]
        if (seen !== undefined) tally.count(seen, stretch.page.path, counts[number])
        if (seen !== undefined && tally.wantsExamples(seen)) for (const row of rows) shown.push([row, seen])
        counts[number] = 0
      }
      for (const [row, of] of shown.sort(([a], [b]) => a - b)) tally.show(of, row)
    }
    for (const [number, links] of changed.entries())
      if (links > 0) tally.countSite(readAlikeKey(this.rows.alikes.values[number] ?? '').site, links)
    return tally.result()
  }

  get #shown(): ShownList {
    return {
      rows: this.rows,
      decided: this.#decided,
      classOf: this.#classOf.data,
      states: this.#state,
      verdicts: this.#verdict,
      bits: this.#bits.data,
      scratch: (length) => {
        this.#scratch = longEnough(this.#scratch, length, 0)
        return this.#scratch
      },
    }
  }

  #touch(page: number): void {
    this.#answers.clear()
    this.#decided.classes.forgetPage(page)
    this.#stale.add(page)
  }

  #staleAll(): void {
    this.#answers.clear()
    this.#stale = new Set()
    for (const { number } of this.rows.inOrder()) this.#stale.add(number)
  }

  #decideAnew(): void {
    this.#decided = new Decided(this.rows, this.#site)
    this.#classOf.data.fill(0)
    this.#staleAll()
  }

  /** Looks at what has changed since somebody asked. */
  #settle(): void {
    for (const _ of this.settling());
  }

  /** Looks at what has changed since somebody asked, page by page; whoever asks before its end looks at the rest. */
  *settling(): Generator<void> {
    const { rows } = this
    const { strings } = rows
    rows.tidy()
    if (rows.strings !== strings) this.#seen.move(strings, rows.strings)
    if (rows.generation !== this.#generation) {
      this.#generation = rows.generation
      this.#classOf.data.fill(0)
      this.#lands = new Uint8Array(0)
      this.#without.clear()
      this.#staleAll()
    }
    for (const [host, before] of rows.touchedHosts) {
      if (before > 0 === rows.httpsHosts.has(host)) continue
      this.#staleAll() // links to it by http are a finding now, or no longer one
      break
    }
    rows.touchedHosts.clear()
    const stale = this.#stale
    if (stale.size === 0) return
    const withFine = new Set([...this.#knowledge.fine.keys()].map((key) => pageOfFineKey(key)))
    for (const number of stale) {
      const stretch = rows.stretches[number]
      if (stretch !== null && stretch !== undefined) this.#settlePage(stretch, withFine)
      stale.delete(number)
      yield
    }
  }

  #settlePage({ page, from, to }: Stretch, withFine: ReadonlySet<string>): void {
    const { rows } = this
    const { columns } = rows
    const decided = this.#decided
    this.#state = longEnough(this.#state, this.rows.length, 0)
    this.#ends = longEnough(this.#ends, this.rows.length, 2)
    this.#verdict = longEnough(this.#verdict, this.rows.length, 0)
    this.#lands = longEnough(this.#lands, this.rows.strings.length, 2)
    let paid: number[] | null = null
    for (let i = from; i < to; i++) {
      let number = this.#classOf.at(i) - 1
      if (number === -1) {
        number = decided.classOf(i)
        this.#classOf.set(i, number + 1)
      }
      const known = decided.known[number]
      if (known === undefined) continue
      const { lands, verdict } = this.#landsOf(i, known)
      this.#ends[i] = lands === null ? 2 : lands ? 1 : 0
      this.#verdict[i] = verdict
      this.#state[i] = known.isWaiting ? 3 : lands === null ? 2 : lands ? 1 : 0
      this.#bits.set(i, givenFindings(columns.still.at(i) & ROW_BITS, known.facts, rows) | known.bits | landingFindings(lands))
      if (known.isPaid && page.kind === 'page') {
        paid ??= []
        paid.push(i)
      }
    }
    if (paid !== null) this.#overdone(page, paid)
    if (withFine.has(page.id)) for (let i = from; i < to; i++) this.#bits.set(i, this.#withoutFine(i))
  }

  /** Of our own pages what is there now is known; of all else what was seen the last time. */
  #landsOf(i: number, known: ClassFacts): { lands: boolean | null; verdict: number } {
    const own = this.#ownLandsAt(i, known)
    if (known.facts.kind === 'inside page' || known.facts.kind === 'file') return { lands: own, verdict: own === true ? LANDS : MISSING }
    if (own === false || known.facts.kind === 'section') return { lands: own, verdict: own === true ? LANDS : MISSING }
    const code = this.#seen.at(this.rows.columns.destination.at(i))
    const seen = landsBy(code)
    return { lands: code === 0 ? own : seen, verdict: verdictNumber(code) }
  }

  #ownLandsAt(i: number, known: ClassFacts): boolean | null {
    if (known.lands !== undefined) return known.lands
    const code = this.rows.columns.address.at(i)
    if (this.#lands[code] === 2) {
      const address = this.rows.strings.values[code] ?? ''
      const isOwn = isOnSite(address, this.ownPaths)
      if (!isOwn && !this.#without.has(code)) {
        this.#without.add(code)
        this.#hasNewWithout = true
      }
      this.#lands[code] = isOwn || isOnSite(address, this.paths) ? 1 : 0
    }
    return this.#lands[code] === 1
  }

  /** Findings that show only among the paid links of one page. */
  #overdone(page: PlacementPage, paid: readonly number[]): void {
    const paragraphs = paid.map((i) => this.rows.columns.paragraph.at(i))
    for (const [k, bits] of pageFindings(paragraphs, page.words).entries()) {
      const i = paid[k] ?? 0
      if (bits !== 0) this.#bits.set(i, this.#bits.at(i) | bits)
    }
  }

  #withoutFine(i: number): number {
    let bits = this.#bits.at(i)
    const judged = bits === 0 ? null : this.judgedAt(i)
    if (judged === null) return bits
    for (const finding of FINDINGS)
      if (hasFinding(bits, finding) && this.#knowledge.fine.has(fineKey(judged, finding))) bits &= ~bitOf(finding)
    return bits
  }
}

function pageOfFineKey(key: string): string {
  const read: unknown = JSON.parse(key)
  return Array.isArray(read) ? String(read[0]) : ''
}
