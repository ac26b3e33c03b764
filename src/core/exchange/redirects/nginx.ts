import { type Told, tell } from '../../../words/index.ts'
import { ok } from '../../result.ts'
import { compileExpression, REDIRECT_STATUSES, type RedirectConditions, type RedirectStatus } from '../../routing/index.ts'
import { type Location, locationFor, namesOf, type ServerBlock, serversOf } from './nginx-servers.ts'
import { type Directive, directivesOf } from './nginx-text.ts'
import { type Answering, type Choice, keptInOrder } from './order.ts'
import {
  type Asked,
  apartFromHost,
  draftOf,
  LINE_SHOWN_CHARS,
  pathOfExpression,
  type ReadingSite,
  type ReadRedirects,
  type RedirectDraft,
  type Sayable,
  unsaid,
} from './row.ts'

/** What holds where a directive stands. */
interface Place {
  readonly hosts: readonly string[]
  /** The server that it is of: its line; 0 outside of one. */
  readonly server: number
  /** Null outside of one. */
  readonly location: Location | null
  /** Of an "if" about the path: what it has to match. */
  readonly path: Match | null
  /** Something is asked for that a row cannot ask for: what stands there answers perhaps. */
  readonly doubt: Told | 'untold' | null
}

/** An answer of a server's own lines, or of a location's, in their order. */
interface Placed extends Answering {
  readonly server: number
  readonly location: Location | null
}

/** Directives that say what visitors get in ways that are no redirects. */
const OTHERWISE = /^(?:error_page|(?:proxy|fastcgi|uwsgi|scgi|grpc)_pass|try_files|alias|index|autoindex)$/
/** Of these the first that is reached ends what is asked of a request where it stands. */
const REWRITING = new Set(['return', 'rewrite', 'if', 'break', 'set'])

/**
 * Reads the redirect lines of nginx: `return` and `rewrite … permanent|redirect`, in servers and locations, and `map` of
 * `$uri` or `$request_uri` with the line that uses it. What cannot be said here is refused by its line, never guessed; what takes
 * addresses there without being a redirect is told with the lines that answer in its place here.
 * @param text - a configuration, or lines out of one, with the files that it includes behind it (see `filesOf`)
 */
export function readNginx(text: string, site: ReadingSite): ReadRedirects {
  const tree = directivesOf(text)
  if (!tree.ok) return { rows: [], refused: [{ line: tree.line, text: '', reason: tree.reason }], asks: [] }
  const reader = new Reader(site)
  reader.read(tree.value)
  return reader.result()
}

class Reader {
  readonly #site: ReadingSite
  readonly #maps = new Map<string, { of: '$uri' | '$request_uri'; entries: readonly Directive[]; line: number; isUsed: boolean }>()
  readonly #lines: Placed[] = []
  readonly #asks: Asked[] = []
  #turn = 0

  constructor(site: ReadingSite) {
    this.#site = site
  }

  result(): ReadRedirects {
    for (const { entries, isUsed, line } of this.#maps.values())
      if (!isUsed)
        for (const each of entries.length === 0 ? [{ line, words: ['map'], inside: null }] : entries)
          this.#refuse(each, tell('config.map-unused'))
    return { ...keptInOrder(this.#lines, this.#site, this.#choose), asks: this.#asks }
  }

  read(tree: readonly Directive[]): void {
    const top = tree.flatMap((each) => (each.words[0] === 'http' ? (each.inside ?? []) : [each]))
    this.#takeUpMaps(top)
    const outside: Place = { hosts: [], server: 0, location: null, path: null, doubt: null }
    this.#level(
      top.filter(({ words }) => words[0] !== 'server' && words[0] !== 'map'),
      outside,
    )
    const blocks = top.filter(({ words }) => words[0] === 'server')
    for (const server of serversOf(blocks, this.#site.hosts)) this.#server(server, blocks.length === 1, outside)
  }

  /** Takes up the maps, which may stand behind what uses them. */
  #takeUpMaps(tree: readonly Directive[]): void {
    for (const each of tree) {
      const [name, of, variable] = each.words
      if (name !== 'map' || each.inside === null || variable === undefined) continue
      if (of === '$uri' || of === '$request_uri') this.#maps.set(variable, { of, entries: each.inside, line: each.line, isUsed: false })
      else for (const entry of each.inside) this.#refuse(entry, tell('config.map-of', { of: of ?? '' }))
    }
  }

  #server({ block, hosts }: ServerBlock, isOnly: boolean, outside: Place): void {
    const names = namesOf(block)
    const place = { ...outside, server: block.line, hosts: isOnly && names.length === 0 ? [] : hosts }
    if (hosts.length > 0) return this.#level(block.inside ?? [], place)
    const reason = names.length === 0 ? tell('config.no-host-left') : tell('config.no-host-of-site', { host: names.join(' ') })
    this.#refuseAll(block, reason)
  }

  /** The lines of a server or a location: those that rewrite in their order, then the locations, then what else it answers with. */
  #level(lines: readonly Directive[], place: Place): void {
    let over: Directive | null = null
    for (const each of lines) {
      const [name = ''] = each.words
      if (!REWRITING.has(name)) continue
      if (over !== null) this.#refuseAll({ ...each, inside: [each] }, tell('config.never-reached', { line: over.line }))
      else if (name === 'if') this.#if(each, place)
      else this.#rewriting(each, place)
      if (over === null && (name === 'return' || name === 'break')) over = each
    }
    for (const each of lines) {
      const [name = ''] = each.words
      if (name === 'location')
        if (over?.words[0] === 'return' && place.location === null) this.#refuseAll(each, tell('config.never-reached', { line: over.line }))
        else this.#location(each, place)
      else if (name === 'include') this.#ask(each)
      else if (OTHERWISE.test(name))
        if (place.location === null) this.#refuse(each, tell('config.no-redirect'))
        else this.#taker(each, place, tell('config.no-redirect'))
    }
  }

  #rewriting(each: Directive, place: Place): void {
    const [name = ''] = each.words
    if (name === 'return') this.#return(each, place)
    else if (name === 'rewrite') this.#rewrite(each, place)
  }

  #location(each: Directive, place: Place): void {
    const [, first = '', second] = each.words
    const how = first === '=' || first === '^~' || first === '~' || first === '~*' ? first : ''
    const path = how === '' ? first : (second ?? '')
    if (place.location !== null) return this.#refuseAll(each, tell('config.inside-location'), place)
    if (path.startsWith('@')) return this.#refuseAll(each, tell('config.internal-location'))
    const location = { how, path, line: each.line } as const
    const inside = { ...place, location }
    this.#level(each.inside ?? [], inside)
    // What no line of it answers is answered otherwise, and by no other location.
    this.#taker(each, inside, 'untold')
  }

  #if(each: Directive, place: Place): void {
    const said = each.words
      .slice(1)
      .join(' ')
      .replace(/^\(\s*|\s*\)$/g, '')
    const inner = this.#under(said, place)
    const under = inner.ok ? inner.value : { ...place, doubt: inner.reason }
    // What is passed over then is not known line by line.
    for (const line of each.inside ?? [])
      if (line.words[0] === 'break') this.#taker(line, { ...under, doubt: 'untold' }, under.doubt ?? tell('config.ends-early'))
      else if (REWRITING.has(line.words[0] ?? '')) this.#rewriting(line, under)
  }

  /** What holds under a condition. */
  #under(said: string, place: Place): Sayable<Place> {
    const [, variable = '', operator = '', value = ''] = /^(\$\w+)(?:\s*(!?=|!?~\*?)\s*"?([^"]*)"?)?$/.exec(said) ?? []
    // "if ($new)" asks whether the map has an answer, as a row does by itself.
    if (this.#maps.has(variable) && (operator === '' || (operator === '!=' && value === ''))) return ok(place)
    if (variable === '$host' && operator !== '') {
      const among = place.hosts.length > 0 ? place.hosts : this.#site.hosts
      const isMeant = operator.endsWith('=') ? (host: string) => host === value.toLowerCase() : this.#matching(value)
      const hosts = isMeant === null ? [] : among.filter((host) => isMeant(host) !== operator.startsWith('!'))
      return hosts.length === 0 ? unsaid(tell('config.means-no-host', { said })) : ok({ ...place, hosts })
    }
    if (/^\$(?:document_)?uri$/.test(variable) && /^(?:=|~\*?)$/.test(operator) && place.location === null) {
      const match = operator === '=' ? 'exact' : 'expression'
      return ok({ ...place, path: { match, from: operator === '~*' ? `(?i)${value}` : value, catches: match === 'expression' } })
    }
    if (variable.startsWith('$arg_') && operator === '=')
      return unsaid(tell('config.parameter-without-case', { other: variable.slice(5).toUpperCase(), own: variable.slice(5) }))
    return unsaid(tell('config.cannot-ask-for', { said }))
  }

  #matching(source: string): ((host: string) => boolean) | null {
    const compiled = compileExpression(source, true)
    return compiled.ok ? (host) => compiled.value.match(host) !== null : null
  }

  #return(each: Directive, place: Place): void {
    const [, first = '', second] = each.words
    const number = /^\d{3}$/.test(first) ? Number(first) : 302
    const to = /^\d{3}$/.test(first) ? second : first
    if (place.doubt !== null) return this.#taker(each, place, place.doubt)
    const status = REDIRECT_STATUSES.find((known) => known === number)
    if (status === undefined)
      return this.#taker(
        each,
        place,
        number < 300 || number >= 400
          ? tell('config.answers-no-redirect', { status: number })
          : tell('config.no-such-status', { status: number }),
      )
    const found = place.path === null ? matchOf(place.location) : ok(place.path)
    if (status >= 400) return this.#take(each, place, found, '', status, 'drop')
    if (to === undefined) return this.#taker(each, place, tell('config.no-destination'))
    const variable = this.#mapIn(to)
    if (variable !== undefined) return this.#takeMap(each, place, { variable, to, status, query: 'drop' })
    this.#take(each, place, found, to, status, 'drop')
  }

  /** The map that a destination takes its answer from. */
  #mapIn(to: string): string | undefined {
    return to.match(/\$\w+/g)?.find((name) => this.#maps.has(name))
  }

  #rewrite(each: Directive, place: Place): void {
    const [, pattern = '', to = '', flag] = each.words
    const match: Match = { match: 'expression', from: pattern, catches: true }
    if (place.doubt !== null) return this.#taker(each, place, place.doubt, match)
    if (flag !== 'permanent' && flag !== 'redirect' && !/^(?:https?:\/\/|\$scheme)/.test(to))
      return this.#taker(each, place, tell('config.rewrites-inside'), match)
    const status = flag === 'permanent' ? 301 : 302
    const drops = to.endsWith('?')
    const query = drops ? 'drop' : 'pass'
    const variable = this.#mapIn(to)
    if (variable !== undefined && /^\^?(?:\.\*)?\$?$/.test(pattern)) return this.#takeMap(each, place, { variable, to, status, query })
    if (place.path !== null || !isWithin(pattern, place.location)) return this.#taker(each, place, tell('config.two-at-once'), match)
    this.#take(each, place, ok(match), drops ? to.slice(0, -1) : to, status, query)
  }

  /** Takes up a row for each entry of a map, as the line that uses it says. */
  #takeMap(
    each: Directive,
    place: Place,
    { variable, to, status, query }: { variable: string; to: string; status: RedirectStatus; query: 'drop' | 'pass' },
  ): void {
    const map = this.#maps.get(variable)
    if (map === undefined) return
    map.isUsed = true
    if (place.path !== null || !isWithin('', place.location)) return this.#taker(each, place, tell('config.map-and-block'))
    // Keys that are no expressions are looked up first.
    const isExpression = ({ words }: Directive): boolean => words[0]?.startsWith('~') === true
    for (const entry of [...map.entries.filter((one) => !isExpression(one)), ...map.entries.filter(isExpression)]) {
      const [key = '', value = ''] = entry.words
      if (key === 'default' || key === 'hostnames' || key === 'volatile') {
        if (key === 'default' && value !== '') this.#taker(entry, place, tell('config.map-of-everything'))
      } else if (key === 'include') this.#ask(entry)
      else if (value !== '')
        this.#take(
          entry,
          place,
          this.#keyOf(key, map.of),
          to.replace(variable, () => value),
          status,
          query,
        )
    }
  }

  #keyOf(key: string, of: '$uri' | '$request_uri'): Sayable<Match> {
    if (key.startsWith('~')) {
      if (of === '$request_uri') return unsaid(tell('config.path-and-query'))
      const isFolded = key.startsWith('~*')
      return ok({ match: 'expression', from: withCase(key.slice(isFolded ? 2 : 1), isFolded, this.#site), catches: true })
    }
    const text = key.replace(/^\\(?=[~\\])/, '')
    if (!text.startsWith('/')) return unsaid(tell('config.no-path'))
    const at = text.indexOf('?')
    if (of === '$uri' && at !== -1) return unsaid(tell('config.query-in-path'))
    const path = at === -1 ? text : text.slice(0, at)
    // Keys of a map are the same in any case.
    const match = this.#site.tolerance.ignoresCase
      ? ({ match: 'exact', from: path, catches: false } as const)
      : ({ match: 'expression', from: `(?i)^${path.replace(/[\\^$.*+?()[\]{}|]/g, '\\$&')}$`, catches: false } as const)
    if (of === '$uri') return ok(match)
    const pairs = at === -1 ? [] : text.slice(at + 1).split('&')
    if (pairs.length > 1) return unsaid(tell('config.parameters-in-order'))
    const query = pairs.map((pair) => ({ name: pair.split('=')[0] ?? '', value: pair.split('=').slice(1).join('=') }))
    if (query.some(({ name, value }) => /\p{L}/u.test(name + value))) return unsaid(tell('config.map-query-without-case'))
    return ok({ ...match, when: { ...(query.length > 0 ? { query } : {}), noOtherQuery: true } })
  }

  #take(each: Directive, place: Place, found: Sayable<Match>, to: string, status: RedirectStatus, query: 'drop' | 'pass'): void {
    if (!found.ok) return this.#taker(each, place, found.reason)
    const dest = destinationOf(to, found.value, query)
    if (!dest.ok) return this.#taker(each, place, dest.reason, found.value)
    const draft = draftOf({ ...dest.value, status, hosts: place.hosts, when: found.value.when ?? {} })
    const exact = draft.match === 'expression' ? pathOfExpression(draft.from, this.#site.tolerance) : null
    const plain =
      exact !== null && !/\$(?:\d|\w|\{)/.test(draft.to.replaceAll('$$', '')) ? { ...draft, match: 'exact' as const, from: exact } : draft
    this.#push(each, place, plain, null)
  }

  /** A line that is no row, and answers the addresses that it stands for all the same, or may. @param match - null for all that its place is for */
  #taker(each: Directive, place: Place, reason: Told | 'untold', match: Match | null = null): void {
    const found = match ?? place.path ?? (place.location === null ? null : orNull(matchOf(place.location)))
    const isKnown = found !== null && (found.match !== 'expression' || compileExpression(found.from, this.#site.tolerance.ignoresCase).ok)
    const { match: how, from } = isKnown && found !== null ? found : ({ match: 'under', from: '/' } as const)
    const draft = draftOf({ match: how, from, to: '', status: 410, hosts: place.hosts })
    const isPart = match !== null && place.location !== null
    this.#push(each, place, draft, reason, place.doubt !== null || isPart || !isKnown)
  }

  #push(each: Directive, { server, location }: Place, draft: RedirectDraft, reason: Told | 'untold' | null, isPerhaps = false): void {
    const said = { line: each.line, text: textOf(each), draft, turn: this.#turn++, unsaid: reason, isPerhaps }
    this.#lines.push({ ...said, server, location })
  }

  /** Which line answers: one of the server's own, or of the location that the path goes to. */
  readonly #choose: Choice<Placed> = (placed, { path }) => {
    const before: Placed[] = []
    for (const server of new Set(placed.map((each) => each.server))) {
      const ofServer = placed.filter((each) => each.server === server).sort((a, b) => a.turn - b.turn)
      // Whatever location means the path has a line among those that match it: what else it answers.
      const location = locationFor([...new Set(ofServer.flatMap((each) => each.location ?? []))], path)
      const inTurn = [null, ...(location === null ? [] : [location])].flatMap((at) => ofServer.filter((each) => each.location === at))
      const at = inTurn.findIndex(({ isPerhaps }) => isPerhaps !== true)
      before.push(...(at === -1 ? inTurn : inTurn.slice(0, at)))
      const answers = inTurn[at]
      if (answers !== undefined) return { answers, before }
    }
    return { answers: null, before }
  }

  #refuse(each: Directive, reason: Told): void {
    const nothing = draftOf({ from: '', to: '', status: 410 }) // it answers nothing
    this.#lines.push({ line: each.line, text: textOf(each), draft: nothing, turn: this.#turn++, unsaid: reason, server: 0, location: null })
  }

  /** Refuses whatever is a redirect inside a block that cannot be said. @param place - of which it may take addresses all the same */
  #refuseAll({ inside }: Directive, reason: Told, place: Place | null = null): void {
    for (const each of inside ?? [])
      if (each.inside !== null) this.#refuseAll(each, reason, place)
      else if (each.words[0] === 'return' || each.words[0] === 'rewrite') {
        if (place === null) this.#refuse(each, reason)
        else this.#taker(each, { ...place, doubt: reason }, reason)
      }
  }

  /** A file that is included and is not here. */
  #ask(each: Directive): void {
    const name = each.words[1] ?? ''
    if (HARMLESS.test(name)) return
    this.#asks.push({ what: 'file', name, line: each.line })
    this.#refuse(each, tell('config.other-file'))
  }
}

/** Files that servers come with, in which nobody is sent anywhere. */
const HARMLESS = /(?:^|\/)(?:mime\.types|(?:fastcgi|uwsgi|scgi|proxy)(?:_params|\.conf)|koi-\w+|win-\w+|modules-enabled\/\*\.conf)$/

interface Match {
  readonly match: 'exact' | 'under' | 'expression'
  readonly from: string
  /** Its groups are for "$1" … */
  readonly catches: boolean
  readonly when?: RedirectConditions
}

const orNull = (found: Sayable<Match>): Match | null => (found.ok ? found.value : null)

/** Whether whatever an expression matches goes to a location, if no other takes it. */
function isWithin(pattern: string, location: Location | null): boolean {
  if (location === null) return true
  if (location.how !== '' && location.how !== '^~') return false
  return location.path === '/' || (!/[\\^$.*+?()[\]{}|]/.test(location.path) && pattern.startsWith(`^${location.path}`))
}

const textOf = ({ words, inside }: Directive): string =>
  (inside === null ? words.join(' ') : `${words.join(' ')} {…}`).slice(0, LINE_SHOWN_CHARS)
const withCase = (source: string, isFolded: boolean, { tolerance }: ReadingSite): string =>
  isFolded && !tolerance.ignoresCase ? `(?i)${source}` : source

function matchOf(location: Location | null): Sayable<Match> {
  if (location === null || (location.path === '/' && location.how === '')) return ok({ match: 'under', from: '/', catches: false })
  const { how, path } = location
  if (how === '=') return ok({ match: 'exact', from: path, catches: false })
  if (how === '~' || how === '~*') return ok({ match: 'expression', from: how === '~*' ? `(?i)${path}` : path, catches: true })
  return ok({ match: 'expression', from: `^${path.replace(/[\\^$.*+?()[\]{}|]/g, '\\$&')}`, catches: false })
}

/** A destination with nginx's variables as a row says it, together with how the row then has to match. */
function destinationOf(
  to: string,
  { match, from, catches }: Match,
  habit: 'drop' | 'pass',
): Sayable<{ match: Match['match']; from: string; to: string; query: 'drop' | 'pass' }> {
  let dest = to
  let query = habit
  if (/\$(?:scheme|host|http_host|server_name)\b/.test(dest)) return unsaid(tell('config.host-from-request'))
  if (/\$is_args\$args$/.test(dest)) {
    dest = dest.replace(/\$is_args\$args$/, '')
    query = 'pass'
  } else if (/\?\$args$/.test(dest)) {
    dest = dest.replace(/\?\$args$/, '')
    query = 'pass'
  }
  const isWhole = /\$(?:request_uri|uri)$/.exec(dest)
  if (isWhole !== null) {
    dest = dest.slice(0, isWhole.index)
    if (isWhole[0] === '$request_uri') query = 'pass'
    if (dest !== '' && !/^https?:\/\/[^/?#]+(?:\/[^?#]*)?$/i.test(dest)) return unsaid(tell('config.whole-address-inside'))
    if (match === 'under' && from === '/') return ok({ match, from, to: `${dest.replace(/\/$/, '')}/$1`, query })
    return unsaid(tell('config.whole-address-for-some'))
  }
  const left = dest.replace(/\$\d|\$\{\d\}/g, '')
  if (/\$/.test(left)) return unsaid(putIn(left))
  if (!catches && /\$\d/.test(dest)) return unsaid(tell('config.nothing-catches'))
  if (dest !== '' && !/^(?:\/|https?:\/\/)/i.test(dest)) return unsaid(tell('config.neither-path-nor-address'))
  // A destination that ends with "/" would get what is behind the path; here nothing goes along.
  if (match === 'under' && dest.endsWith('/')) return ok({ match: 'expression', from: '^/', to: dest, query })
  const apart = apartFromHost(from, dest)
  return apart.ok ? ok({ match, ...apart.value, query }) : apart
}

function putIn(text: string): Told {
  const variable = /\$\{?\w+/.exec(text)?.[0]
  return variable === undefined ? tell('config.puts-in-a-variable') : tell('config.puts-in', { variable })
}
