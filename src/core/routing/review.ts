import { leanRow, type ReviewRow, wholeRow } from './lean-row.ts'
import { type Asked, compareRedirects, isConditional, matchRedirect, type ReadyRedirect, readyRedirect, redirectKey } from './match.ts'
import { pathKey, plainPath, stemsOf } from './path.ts'
import { leadsOn, type Redirect, type RedirectConditions, TOLERANCE, type Tolerance } from './redirect.ts'
import { RedirectTable } from './table.ts'

/**
 * What can be wrong with a row: it leads in a circle; it leads on in several steps; another row always comes before it; it stands
 * there twice, saying the same or something else; it keeps several others from ever being reached; there is no page where it
 * leads; a published page comes before it; it leads from a secure address to an open one; it leads to another host, depending on which one was asked.
 */
export const FINDING_KINDS = [
  'loop',
  'chain',
  'shadowed',
  'hides',
  'duplicate',
  'contradictory',
  'dead',
  'over-page',
  'insecure',
  'host-differs',
] as const
export type FindingKind = (typeof FINDING_KINDS)[number]

/** What mends a row. */
export type Mend = { readonly to: string } | { readonly isOn: false } | { readonly isRemoved: true }

export interface Finding {
  readonly kind: FindingKind
  /** The row that it is about. */
  readonly id: string
  /** Of a circle or a way: each address in its order. */
  readonly stops: readonly string[]
  /** Another row that has to do with it. */
  readonly other: string | null
  /** Null where only a person can say what was meant. */
  readonly mend: Mend | null
}

export interface ReviewSite {
  readonly tolerance: Tolerance
  /** Of the site's own pages, main one first: such as "http://slow-ferry.localhost:4300". */
  readonly origin: string
  /** Hosts by name; "door" for front doors. */
  readonly hosts: ReadonlyMap<string, 'site' | 'door' | 'short'>
  /** Whether a page or file is published at a path. @param path - see `plainPath` */
  hasPage(path: string): boolean
}

/** Browsers stop at 20 (Fetch, "HTTP-redirect fetch"). */
const STOPS_MAX = 20
/** Rows that are looked at anew because of one that has changed; where it is more, all are. */
const TOUCHED_MAX = 20_000

/**
 * Looks for what is wrong in a table of redirects, and keeps what it found: after a change only rows that have to do with it are
 * looked at again, unless it was one for many addresses.
 */
export class RedirectReview {
  readonly #site: ReviewSite
  readonly #table: RedirectTable<ReviewRow>
  readonly #rows = new Map<string, ReviewRow>()
  /** Rows by where they lead inside, as paths are looked up. */
  readonly #leading = new Map<string, string | string[]>()
  readonly #found = new Map<string, readonly Finding[]>()
  /** Rows that are to be looked at; null for all of them, as at first. */
  #touched: Set<string> | null = null
  /** Rows that come before a page. */
  #beating = 0

  constructor(site: ReviewSite) {
    this.#site = site
    this.#table = new RedirectTable<ReviewRow>(site.tolerance)
  }

  get size(): number {
    return this.#rows.size
  }

  /** Takes a row in, in place of the one of its id. */
  put(given: ReviewRow): void {
    const row = leanRow(given)
    this.drop(row.id)
    this.#rows.set(row.id, row)
    if (!row.isOn) return
    this.#table.take(row)
    if (row.beatsPages) this.#beating++
    const to = this.#insideOf(row)
    if (to !== null) join(this.#leading, pathKey(to, TOLERANCE), row.id)
    this.#touch(row)
  }

  /** Takes a row out. */
  drop(id: string): void {
    const row = this.#rows.get(id)
    if (row === undefined) return
    this.#touch(row)
    this.#rows.delete(id)
    this.#found.delete(id)
    if (!row.isOn) return
    this.#table.remove(row)
    if (row.beatsPages) this.#beating--
    const to = this.#insideOf(row)
    if (to !== null) leave(this.#leading, pathKey(to, TOLERANCE), id)
  }

  /** A page or file has come to a path, or has gone from it. */
  pageChanged(path: string): void {
    this.#touchPath(pathKey(plainPath(path), TOLERANCE))
  }

  /** Whether a row has an answer to an address. */
  answers(asked: Asked, hasPage: () => boolean): boolean {
    return matchRedirect(asked, this.#table, hasPage) !== null
  }

  row(id: string): ReviewRow | null {
    const row = this.#rows.get(id)
    return row === undefined ? null : wholeRow(row)
  }

  /** Everything that is wrong now, in the order of the table. */
  findings(): readonly Finding[] {
    if (this.#touched === null) this.#judgeAll()
    else
      for (const id of this.#touched) {
        const row = this.#rows.get(id)
        const found = row === undefined || !row.isOn ? [] : this.#judge(row, false)
        if (found.length === 0) this.#found.delete(id)
        else this.#found.set(id, found)
      }
    this.#touched = new Set()
    const rows = [...this.#found.keys()].flatMap((id) => this.#rows.get(id) ?? [])
    rows.sort((a, b) => a.order - b.order || (a.id < b.id ? -1 : 1))
    return this.#blamed(rows.flatMap(({ id }) => this.#found.get(id) ?? []))
  }

  /** Rows that are never reached for one, as of the last look. */
  hiddenBy(id: string): readonly string[] {
    return [...this.#found.values()].flatMap((found) =>
      found.flatMap((each) => (each.kind === 'shadowed' && each.other === id ? [each.id] : [])),
    )
  }

  /** Where one wide row keeps several from being reached, it is that row that is wrong, and not each of the others. */
  #blamed(found: readonly Finding[]): Finding[] {
    const victims = new Map<string, string[]>()
    for (const { kind, id, other } of found) {
      if (kind !== 'shadowed' || other === null || this.#rows.get(other)?.match !== 'under') continue
      const hidden = victims.get(other)
      if (hidden === undefined) victims.set(other, [id])
      else hidden.push(id)
    }
    const isBlamed = ({ kind, other }: Finding): boolean => kind === 'shadowed' && other !== null && (victims.get(other)?.length ?? 0) > 1
    const fromOf = (id: string): string => this.#rows.get(id)?.from ?? ''
    const blamed = [...victims].flatMap(([id, hidden]): Finding[] =>
      hidden.length < 2 ? [] : [{ kind: 'hides', id, stops: hidden.slice(0, STOPS_MAX).map(fromOf), other: hidden[0] ?? null, mend: null }],
    )
    return [...blamed, ...found.filter((each) => !isBlamed(each))]
  }

  /** Marks what has to do with a row: others for its address, and those that lead there, over however many steps. */
  #touch(row: ReviewRow): void {
    if (this.#touched === null) return
    this.#touched.add(row.id)
    if (row.match !== 'exact') this.#touched = this.#rows.size > 1 ? null : this.#touched
    else this.#touchPath(redirectKey(row))
  }

  #touchPath(start: string): void {
    const keys = [start]
    const seen = new Set(keys)
    for (let key = keys.pop(); key !== undefined && this.#touched !== null; key = keys.pop()) {
      for (const { id } of this.#table.rowsAt('exact', key)) this.#touched.add(id)
      for (const id of listOf(this.#leading.get(key))) {
        this.#touched.add(id)
        const row = this.#rows.get(id)
        if (row === undefined) continue
        // One for many addresses: whoever leads to any of them has to do with it.
        if (row.match !== 'exact') {
          this.#touched = null
          return
        }
        const next = redirectKey(row)
        if (!seen.has(next)) keys.push(next)
        seen.add(next)
      }
      if (this.#touched.size > TOUCHED_MAX) this.#touched = null
    }
  }

  #judgeAll(): void {
    this.#found.clear()
    // Most rows are the only one of their address, and need not look for others.
    for (const [row, isAlone] of this.#table.all()) {
      const found = this.#judge(row, isAlone)
      if (found.length > 0) this.#found.set(row.id, found)
    }
  }

  /** @param isAlone - no other row is for its address */
  #judge(row: ReviewRow, isAlone: boolean): readonly Finding[] {
    const found: Finding[] = []
    const say = (kind: FindingKind, more: Partial<Finding> = {}): void =>
      void found.push({ kind, id: row.id, stops: [], other: null, mend: null, ...more })
    const before = isAlone ? null : this.#before(row)
    if (before !== null) {
      const isSame = before.match === row.match && isAlikeWhen(before, row)
      const saysSame = before.to === row.to && before.status === row.status
      say(isSame ? (saysSame ? 'duplicate' : 'contradictory') : 'shadowed', {
        other: before.id,
        mend: isSame && saysSame ? { isRemoved: true } : { isOn: false },
      })
      return found
    }
    if (row.match === 'exact' && !row.beatsPages && this.#isOnPages(row) && this.#site.hasPage(plainPath(row.from))) {
      say('over-page', { mend: { isOn: false } })
      return found
    }
    if (!leadsOn(row.status)) return found
    if (/^http:\/\//i.test(row.to)) {
      const host = /^http:\/\/([^/:?#]+)/i.exec(row.to)?.[1]?.toLowerCase() ?? ''
      const isLocal = host === 'localhost' || host.endsWith('.localhost') || /^[\d.[]/.test(host)
      if (!isLocal) say('insecure', { mend: { to: `https${row.to.slice(4)}` } })
    }
    // A short host sends to the site's own pages, a front door to those behind it.
    const isDoor = (host: string): boolean => this.#site.hosts.get(host) === 'door'
    if (row.to.startsWith('/') && new Set(row.hosts.map(isDoor)).size > 1) say('host-differs', { mend: { to: this.#site.origin + row.to } })
    this.#way(row, say)
    return found
  }

  /** A row that comes before this one wherever it is asked, and answers; null where there is none. */
  #before(row: ReviewRow): ReviewRow | null {
    const rivals: ReviewRow[] = []
    if (row.match === 'exact') rivals.push(...this.#table.rowsAt('exact', redirectKey(row)))
    else if (row.match === 'under') rivals.push(...this.#table.rowsAt('under', redirectKey(row)))
    else {
      const ready = readyRedirect(row, this.#site.tolerance)
      const source = ready.ok ? (ready.value.pattern?.source ?? '') : ''
      // What it fixes from its beginning, by whole folders: everything under those comes before patterns.
      const fixed = /^\^((?:\/(?:[\w~!&',;=:@%-]|\\[.\-+])+)*)\//.exec(source)?.[1]?.replace(/\\(.)/g, '$1') ?? ''
      for (const stem of fixed === '' ? ['/'] : stemsOf(pathKey(fixed, TOLERANCE))) rivals.push(...this.#table.rowsAt('under', stem))
      for (const rival of source === '' ? [] : this.#table.patterns(pathKey(row.from, TOLERANCE)))
        if (rival.row.from === row.from) rivals.push(this.#rows.get(rival.row.id) ?? row)
    }
    if (rivals.length <= 1 && rivals[0]?.id === row.id) return null
    const own = readyOf(row)
    if (own === null) return null
    let first: { ready: ReadyRedirect; rival: ReviewRow } | null = null
    for (const rival of rivals) {
      if (rival.id === row.id || !covers(rival, row) || (row.beatsPages && !rival.beatsPages)) continue
      const ready = readyOf(rival)
      if (ready === null || compareRedirects(ready, own) >= 0) continue
      if (first === null || compareRedirects(ready, first.ready) < 0) first = { ready, rival }
    }
    return first?.rival ?? null
  }

  /** Follows where a row leads, and says what is wrong on the way. */
  #way(row: ReviewRow, say: (kind: FindingKind, more?: Partial<Finding>) => void): void {
    let path = this.#insideOf(row)
    if (path === null) return
    const stops = [row.from]
    const hops: Redirect[] = [row]
    let to = row.to
    while (path !== null) {
      stops.push(path)
      if (this.#site.hasPage(path) && (this.#beating === 0 || !this.#isBeaten(path, row))) break
      const next = this.#answerAt(path, row)
      if (next === null) {
        if (hops.length === 1) say('dead', { stops })
        else say('chain', { stops, other: hops[1]?.id ?? null, mend: null })
        return
      }
      if (hops.some(({ id }) => id === next.id)) {
        // Of the rows of a circle the last one of the table is the one to go.
        const circle = hops.slice(hops.findIndex(({ id }) => id === next.id))
        const last = circle.reduce((a, b) => (b.order > a.order ? b : a))
        if (circle.some(({ id }) => id === row.id))
          // Without it the others have to land.
          say('loop', {
            stops,
            other: next.id,
            mend: last.id === row.id && this.#site.hasPage(plainPath(row.from)) ? { isOn: false } : null,
          })
        else say('chain', { stops, other: hops[1]?.id ?? null })
        return
      }
      hops.push(next)
      if (!leadsOn(next.status)) return say('chain', { stops, other: hops[1]?.id ?? null })
      if (hops.length > STOPS_MAX) return say('chain', { stops: stops.slice(0, STOPS_MAX), other: hops[1]?.id ?? null })
      to = next.to
      path = this.#insideOf(next)
      if (path === null) stops.push(next.to)
    }
    if (hops.length === 1) return
    const isLasting = (status: number): boolean => status === 301 || status === 308
    // One step says what several did where none of them is for now only, takes the query otherwise, or catches something.
    const isPlain = hops
      .slice(1)
      .every(
        (hop) =>
          (isLasting(hop.status) || !isLasting(row.status)) &&
          hop.query === row.query &&
          hop.match === 'exact' &&
          !isConditional(hop.when) &&
          !hop.to.includes('$'),
      )
    say('chain', { stops, other: hops[1]?.id ?? null, mend: isPlain ? { to } : null })
  }

  /** Whether a row stands where pages do. */
  #isOnPages({ hosts }: Redirect): boolean {
    return hosts.length === 0 || hosts.some((host) => this.#site.hosts.get(host) === 'site')
  }

  /** Whether a row answers at a path although a page is there. */
  #isBeaten(path: string, row: ReviewRow): boolean {
    return this.#table.rowsAt('exact', pathKey(path, TOLERANCE)).some((other) => other.beatsPages && other.id !== row.id)
  }

  /** The row that answers at a path of the site, for whoever comes from a row. */
  #answerAt(path: string, from: ReviewRow): Redirect | null {
    const rows = this.#table.rowsAt('exact', pathKey(path, TOLERANCE))
    const [only] = rows
    if (rows.length === 1 && only !== undefined && only.hosts.length === 0 && !this.#table.hasConditions && this.#isWide) return only
    const own = new URL(this.#site.origin).hostname
    const first = from.hosts[0] ?? own
    const host = this.#site.hosts.get(first) === 'short' ? own : first
    const found = matchRedirect(
      {
        host,
        origin: this.#site.origin,
        isByNameOnly: (this.#site.hosts.get(host) ?? 'site') !== 'site',
        path,
        query: '',
        language: null,
        device: 'other',
        nowMs: 0,
      },
      this.#table,
      () => false,
    )
    return found?.row ?? null
  }

  get #isWide(): boolean {
    return this.#site.tolerance.ignoresCase && this.#site.tolerance.ignoresSlash
  }

  /** The path of ours that a row leads to; null where it leads elsewhere, or where that depends on what was caught. */
  #insideOf({ to, status }: Redirect): string | null {
    if (!leadsOn(status) || to.includes('$')) return null
    const own = to.startsWith('/') ? to : to.startsWith(`${this.#site.origin}/`) ? to.slice(this.#site.origin.length) : null
    if (own === null) return null
    const at = own.search(/[?#]/)
    return plainPath(at === -1 ? own : own.slice(0, at))
  }
}

const readyOf = (row: Redirect): ReadyRedirect | null => {
  const ready = readyRedirect(row, TOLERANCE)
  return ready.ok ? ready.value : null
}

/** Whether a row is there for all that another one is for: its hosts, and whenever that one's conditions are met. */
function covers(wide: Redirect, narrow: Redirect): boolean {
  if (wide.hosts.length > 0 && (narrow.hosts.length === 0 || !narrow.hosts.every((host) => wide.hosts.includes(host)))) return false
  return isImplied(wide.when, narrow.when)
}

/** Whether `wide` is met whenever `narrow` is. */
function isImplied(wide: RedirectConditions, narrow: RedirectConditions): boolean {
  const has = (name: string, value: string | null): boolean =>
    (narrow.query ?? []).some((each) => each.name === name && (value === null || each.value === value))
  const within = (a: readonly string[] = [], b: readonly string[] = []): boolean =>
    a.length === 0 || (b.length > 0 && b.every((each) => a.includes(each)))
  return (
    (wide.query ?? []).every(({ name, value }) => has(name, value)) &&
    (wide.noOtherQuery !== true || (narrow.noOtherQuery === true && (narrow.query ?? []).length === (wide.query ?? []).length)) &&
    within(wide.languages, narrow.languages) &&
    within(wide.devices, narrow.devices) &&
    (wide.fromMs === undefined || (narrow.fromMs !== undefined && narrow.fromMs >= wide.fromMs)) &&
    (wide.untilMs === undefined || (narrow.untilMs !== undefined && narrow.untilMs <= wide.untilMs))
  )
}

const isAlikeWhen = (a: Redirect, b: Redirect): boolean => covers(a, b) && covers(b, a)

const listOf = (filed: string | readonly string[] | undefined): readonly string[] =>
  filed === undefined ? [] : typeof filed === 'string' ? [filed] : filed

function join(files: Map<string, string | string[]>, key: string, id: string): void {
  const there = files.get(key)
  if (there === undefined) files.set(key, id)
  else if (typeof there === 'string') files.set(key, [there, id])
  else there.push(id)
}

function leave(files: Map<string, string | string[]>, key: string, id: string): void {
  const left = listOf(files.get(key)).filter((each) => each !== id)
  const [one] = left
  if (one === undefined) files.delete(key)
  else files.set(key, left.length === 1 ? one : left)
}
