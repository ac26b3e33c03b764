import { fail, ok, type Result } from '../../result.ts'
import { REDIRECT_STATUSES, type RedirectConditions, type RedirectStatus } from '../../routing/index.ts'
import { keptInOrder, type RankedRedirect } from './order.ts'
import {
  apartFromHost,
  draftOf,
  LINE_SHOWN_CHARS,
  pathOfExpression,
  type ReadingSite,
  type ReadRedirects,
  type RedirectDraft,
  type RefusedLine,
} from './row.ts'

/** A directive: its words, and what stands in its braces. */
interface Directive {
  readonly line: number
  readonly words: readonly string[]
  readonly inside: Directive[] | null
}

type Said<T> = Result<T, 'unsaid'>
const unsaid = (reason: string) => fail('unsaid', { reason })

/** Deepest that blocks stand in one another, inclusive. */
const DEPTH_MAX = 20

/** What holds where a directive stands. */
interface Place {
  readonly hosts: readonly string[]
  readonly when: RedirectConditions
  /** Of a location; null outside of one. */
  readonly location: { readonly how: '=' | '^~' | '~' | '~*' | ''; readonly path: string } | null
}

/** Rules of a server come before locations; of these "=", the longest "^~", expressions in their order, the longest of the others. */
const TURN = { server: 0, '=': 1e9, '^~': 2e9, '~': 3e9, '~*': 3e9, '': 4e9 } as const

/** Directives that say what visitors get in ways that are no redirects. */
const OTHERWISE = /^(?:error_page|(?:proxy|fastcgi|uwsgi|scgi|grpc)_pass|try_files|alias|index|autoindex)$/

/**
 * Reads the redirect lines of nginx: `return` and `rewrite … permanent|redirect`, in servers and locations, and `map` of
 * `$uri` or `$request_uri` with the line that uses it. What cannot be said here is refused by its line, never guessed.
 * @param text - a configuration, or lines out of one
 */
export function readNginx(text: string, site: ReadingSite): ReadRedirects {
  const tree = treeOf(text)
  if (!tree.ok) return { rows: [], refused: [{ line: Number(tree.detail.line), text: '', reason: String(tree.detail.reason) }] }
  const reader = new Reader(site)
  reader.maps(tree.value)
  reader.read(tree.value, { hosts: [], when: {}, location: null })
  return reader.result()
}

class Reader {
  readonly #site: ReadingSite
  readonly #maps = new Map<string, { of: '$uri' | '$request_uri'; entries: readonly Directive[]; line: number; isUsed: boolean }>()
  readonly #ranked: RankedRedirect[] = []
  readonly #refused: RefusedLine[] = []
  #turn = 0

  constructor(site: ReadingSite) {
    this.#site = site
  }

  result(): ReadRedirects {
    for (const { entries, isUsed, line } of this.#maps.values())
      if (!isUsed)
        for (const each of entries.length === 0 ? [{ line, words: ['map'], inside: null }] : entries)
          this.#refuse(each, 'No line says what is done with this map.')
    const kept = keptInOrder(this.#ranked, this.#site)
    return { rows: kept.rows, refused: [...this.#refused, ...kept.refused].sort((a, b) => a.line - b.line) }
  }

  /** Takes up the maps, which may stand behind what uses them. */
  maps(tree: readonly Directive[]): void {
    for (const each of tree) {
      const [name, of, variable] = each.words
      if (name === 'http' && each.inside !== null) this.maps(each.inside)
      if (name !== 'map' || each.inside === null || variable === undefined) continue
      if (of === '$uri' || of === '$request_uri') this.#maps.set(variable, { of, entries: each.inside, line: each.line, isUsed: false })
      else for (const entry of each.inside) this.#refuse(entry, `A row cannot be looked up by ${of}.`)
    }
  }

  read(tree: readonly Directive[], place: Place): void {
    for (const each of tree) {
      const [name = ''] = each.words
      if (name === 'http') this.read(each.inside ?? [], place)
      else if (name === 'server') this.#server(each, place)
      else if (name === 'location') this.#location(each, place)
      else if (name === 'if') this.#if(each, place)
      else if (name === 'return') this.#return(each, place)
      else if (name === 'rewrite') this.#rewrite(each, place)
      else if (name === 'include' && each.words[1] !== undefined && /redirect|rewrite|map/i.test(each.words[1]))
        this.#refuse(each, 'What another file holds is not seen from here. Bring that file in as well.')
      else if (OTHERWISE.test(name)) this.#refuse(each, 'It is no redirect, and is left out.')
    }
  }

  #server(each: Directive, place: Place): void {
    const names = (each.inside ?? []).filter(({ words }) => words[0] === 'server_name').flatMap(({ words }) => words.slice(1))
    const stranger = names.find((name) => !this.#site.hosts.includes(name.toLowerCase()))
    if (names.length > 0 && stranger !== undefined) return this.#refuseAll(each, `It is for “${stranger}”, which is no host of this site.`)
    this.read(each.inside ?? [], { ...place, hosts: names.map((name) => name.toLowerCase()) })
  }

  #location(each: Directive, place: Place): void {
    const [, first = '', second] = each.words
    const how = first === '=' || first === '^~' || first === '~' || first === '~*' ? first : ''
    const path = how === '' ? first : (second ?? '')
    if (place.location !== null) return this.#refuseAll(each, 'It stands inside another location.')
    if (path.startsWith('@')) return this.#refuseAll(each, 'It is a location that only the server itself goes to.')
    this.read(each.inside ?? [], { ...place, location: { how, path } })
  }

  #if(each: Directive, place: Place): void {
    const said = each.words
      .slice(1)
      .join(' ')
      .replace(/^\(\s*|\s*\)$/g, '')
    const [, variable = '', operator = '', value = ''] = /^(\$\w+)(?:\s*(!?=|!?~\*?)\s*"?([^"]*)"?)?$/.exec(said) ?? []
    const inside = each.inside ?? []
    // "if ($new)" asks whether the map has an answer, as a row does by itself.
    if (this.#maps.has(variable) && (operator === '' || (operator === '!=' && value === ''))) return this.read(inside, place)
    if (variable === '$host' && operator === '=') {
      const host = value.toLowerCase()
      if (!this.#site.hosts.includes(host)) return this.#refuseAll(each, `It is for “${host}”, which is no host of this site.`)
      if (place.hosts.length > 0 && !place.hosts.includes(host)) return this.#refuseAll(each, 'Its server has no such name.')
      return this.read(inside, { ...place, hosts: [host] })
    }
    const parameter = /^\$arg_(\w+)$/.exec(variable)?.[1]
    if (parameter !== undefined && operator === '=' && /^[\w~.-]+$/.test(value))
      return this.read(inside, { ...place, when: { ...place.when, query: [...(place.when.query ?? []), { name: parameter, value }] } })
    this.#refuseAll(each, `A row cannot ask for “${said}”.`)
  }

  #return(each: Directive, place: Place): void {
    const [, first = '', second] = each.words
    const number = /^\d{3}$/.test(first) ? Number(first) : 302
    const to = /^\d{3}$/.test(first) ? second : first
    const status = REDIRECT_STATUSES.find((known) => known === number)
    if (status === undefined)
      return number < 300 || number >= 400
        ? this.#refuse(each, `It answers ${number}, which is no redirect.`)
        : this.#refuse(each, `A row here cannot answer ${number}.`)
    if (status >= 400) return this.#take(each, place, matchOf(place.location), '', status, 'drop')
    if (to === undefined) return this.#refuse(each, 'It says no destination.')
    const variable = this.#mapIn(to)
    if (variable !== undefined) return this.#takeMap(each, place, variable, to, status)
    this.#take(each, place, matchOf(place.location), to, status, 'drop')
  }

  /** The map that a destination takes its answer from. */
  #mapIn(to: string): string | undefined {
    return to.match(/\$\w+/g)?.find((name) => this.#maps.has(name))
  }

  #rewrite(each: Directive, place: Place): void {
    const [, pattern = '', to = '', flag] = each.words
    if (flag !== undefined && flag !== 'permanent' && flag !== 'redirect' && !/^https?:\/\//.test(to))
      return this.#refuse(each, 'It rewrites inside the server and sends nobody elsewhere.')
    if (flag === undefined && !/^(?:https?:\/\/|\$scheme)/.test(to))
      return this.#refuse(each, 'It rewrites inside the server and sends nobody elsewhere.')
    const status = flag === 'permanent' ? 301 : 302
    const variable = this.#mapIn(to)
    if (variable !== undefined && /^\^?(?:\.\*)?\$?$/.test(pattern)) return this.#takeMap(each, place, variable, to, status)
    if (place.location !== null && !(place.location.how === '' && place.location.path === '/'))
      return this.#refuse(each, 'It stands in a location: two things would have to match at once.')
    const drops = to.endsWith('?')
    const found: Said<Match> = ok({ match: 'expression', from: pattern, catches: true })
    this.#take(each, place, found, drops ? to.slice(0, -1) : to, status, drops ? 'drop' : 'pass')
  }

  /** Takes up a row for each entry of a map, as the line that uses it says. */
  #takeMap(each: Directive, place: Place, variable: string, to: string, status: RedirectStatus): void {
    const map = this.#maps.get(variable)
    if (map === undefined) return
    map.isUsed = true
    if (place.location !== null && !(place.location.path === '/' && place.location.how === ''))
      return this.#refuse(each, 'It stands in a location: two things would have to match at once.')
    const order = (entry: Directive): number => (/^~/.test(entry.words[0] ?? '') ? 1e8 : 0)
    for (const entry of map.entries) {
      const [key = '', value = ''] = entry.words
      if (key === 'default' || key === 'hostnames' || key === 'volatile') {
        if (key === 'default' && value !== '')
          this.#refuse(entry, 'It sends every other address somewhere, which a row here does not do to published pages.')
        continue
      }
      if (key === 'include') this.#refuse(entry, 'What another file holds is not seen from here. Bring that file in as well.')
      else if (value !== '') {
        const whole = to.replace(variable, value.replaceAll('$', '$$$$'))
        const found = this.#keyOf(key, map.of)
        this.#take(entry, place, found, whole, status, 'drop', order(entry))
      }
    }
  }

  #keyOf(key: string, of: '$uri' | '$request_uri'): Said<Match> {
    if (key.startsWith('~')) {
      if (of === '$request_uri') return unsaid('Its expression sees path and query together; a row sees the path.')
      const isFolded = key.startsWith('~*')
      return ok({ match: 'expression', from: withCase(key.slice(isFolded ? 2 : 1), isFolded, this.#site), catches: true })
    }
    const text = key.replace(/^\\(?=[~\\])/, '')
    if (!text.startsWith('/')) return unsaid('It is no path.')
    const at = text.indexOf('?')
    if (of === '$uri' && at !== -1) return unsaid('A path has no “?”; it never answers.')
    const path = at === -1 ? text : text.slice(0, at)
    // Keys of a map are the same in any case.
    const match = this.#site.tolerance.ignoresCase
      ? ({ match: 'exact', from: path, catches: false } as const)
      : ({ match: 'expression', from: `(?i)^${path.replace(/[\\^$.*+?()[\]{}|]/g, '\\$&')}$`, catches: false } as const)
    if (of === '$uri') return ok(match)
    const pairs = at === -1 ? [] : text.slice(at + 1).split('&')
    if (pairs.length > 1) return unsaid('Its parameters have to come in this order, which a row cannot ask for.')
    const query = pairs.map((pair) => ({ name: pair.split('=')[0] ?? '', value: pair.split('=').slice(1).join('=') }))
    return ok({ ...match, when: { ...(query.length > 0 ? { query } : {}), noOtherQuery: true } })
  }

  #take(each: Directive, place: Place, found: Said<Match>, to: string, status: RedirectStatus, query: 'drop' | 'pass', later = 0): void {
    if (!found.ok) return this.#refuse(each, String(found.detail.reason))
    const { match, from, catches } = found.value
    const when = {
      ...place.when,
      ...found.value.when,
      ...(place.when.query === undefined || found.value.when?.query === undefined
        ? {}
        : { query: [...place.when.query, ...found.value.when.query] }),
    }
    const dest = destinationOf(to, { match, from, catches }, query)
    if (!dest.ok) return this.#refuse(each, String(dest.detail.reason))
    const draft: RedirectDraft = draftOf({ ...dest.value, status, hosts: place.hosts, when })
    const exact = draft.match === 'expression' ? pathOfExpression(draft.from, this.#site.tolerance) : null
    const plain =
      exact !== null && !/\$(?:\d|\w|\{)/.test(draft.to.replaceAll('$$', '')) ? { ...draft, match: 'exact' as const, from: exact } : draft
    this.#ranked.push({ line: each.line, text: textOf(each), draft: plain, turn: this.#turnOf(place) + later })
  }

  #turnOf({ location }: Place): number {
    const turn = this.#turn++
    if (location === null) return TURN.server + turn
    const longest = location.how === '^~' || location.how === '' ? (8_000 - location.path.length) * 1e5 : 0
    return TURN[location.how] + longest + turn
  }

  #refuse(each: Directive, reason: string): void {
    this.#refused.push({ line: each.line, text: textOf(each), reason })
  }

  /** Refuses whatever is a redirect inside a block that cannot be said. */
  #refuseAll({ inside }: Directive, reason: string): void {
    for (const each of inside ?? [])
      if (each.inside !== null) this.#refuseAll(each, reason)
      else if (each.words[0] === 'return' || each.words[0] === 'rewrite') this.#refuse(each, reason)
  }
}

interface Match {
  readonly match: 'exact' | 'under' | 'expression'
  readonly from: string
  /** Its groups are for "$1" … */
  readonly catches: boolean
  readonly when?: RedirectConditions
}

const textOf = ({ words }: Directive): string => words.join(' ').slice(0, LINE_SHOWN_CHARS)
const withCase = (source: string, isFolded: boolean, { tolerance }: ReadingSite): string =>
  isFolded && !tolerance.ignoresCase ? `(?i)${source}` : source

function matchOf(location: Place['location']): Said<Match> {
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
): Said<{ match: Match['match']; from: string; to: string; query: 'drop' | 'pass' }> {
  let dest = to
  let query = habit
  if (/\$(?:scheme|host|http_host|server_name)\b/.test(dest)) return unsaid('It takes its host or scheme from the request.')
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
    if (dest !== '' && !/^https?:\/\/[^/?#]+(?:\/[^?#]*)?$/i.test(dest))
      return unsaid('It puts the whole address into a place where a row cannot.')
    if (match === 'under' && from === '/') return ok({ match, from, to: `${dest.replace(/\/$/, '')}/$1`, query })
    return unsaid(
      'It puts the whole address in for some addresses alone; “everything under” with a destination that ends with “/” says that by hand.',
    )
  }
  const left = dest.replace(/\$\d|\$\{\d\}/g, '')
  if (/\$/.test(left)) return unsaid(`It puts in ${/\$\{?\w+/.exec(left)?.[0] ?? 'a variable'}, which a row does not have.`)
  if (!catches && /\$\d/.test(dest)) return unsaid('It puts in something that nothing catches.')
  if (dest !== '' && !/^(?:\/|https?:\/\/)/i.test(dest)) return unsaid('Its destination is neither a path nor an address.')
  // A destination that ends with "/" would get what is behind the path; here nothing goes along.
  if (match === 'under' && dest.endsWith('/')) return ok({ match: 'expression', from: '^/', to: dest, query })
  const apart = apartFromHost(from, dest)
  return apart.ok ? ok({ match, ...apart.value, query }) : apart
}

/** Reads directives, blocks and comments. */
function treeOf(text: string): Result<Directive[], 'unreadable'> {
  const root: Directive[] = []
  const stack: Directive[][] = [root]
  let words: string[] = []
  let [line, startedOn] = [1, 1]
  // A brace that is meant as it stands is in quotes, or belongs to a variable; "#" begins a comment only where a word could.
  const TOKEN =
    /[ \t\r]+|\n|#[^\n]*|"((?:[^"\\]|\\.)*)"|'((?:[^'\\]|\\.)*)'|([{};])|((?:\\.|\$\{|[^\s;{}"'\\])(?:\\.|\$\{\w+\}|[^\s;{}\\])*)|(.)/gs
  for (const [token, double, single, sign, bare, stray] of text.matchAll(TOKEN)) {
    const start = line
    for (let i = token.indexOf('\n'); i !== -1; i = token.indexOf('\n', i + 1)) line++
    if (stray !== undefined) return fail('unreadable', { line: start, reason: `“${stray}” has no end, or no beginning.` })
    const word = double?.replace(/\\(["\\])/g, '$1') ?? single?.replace(/\\(['\\])/g, '$1') ?? bare
    if (word !== undefined) {
      if (words.length === 0) startedOn = start
      words.push(word)
    } else if (sign === ';') {
      if (words.length > 0) stack[stack.length - 1]?.push({ line: startedOn, words, inside: null })
      words = []
    } else if (sign === '{') {
      const inside: Directive[] = []
      stack[stack.length - 1]?.push({ line: startedOn, words, inside })
      words = []
      stack.push(inside)
      if (stack.length > DEPTH_MAX)
        return fail('unreadable', { line: start, reason: `Blocks stand in one another more than ${DEPTH_MAX} deep.` })
    } else if (sign === '}') {
      if (stack.length === 1 || words.length > 0)
        return fail('unreadable', {
          line: start,
          reason: words.length > 0 ? 'A line before this brace does not end with “;”.' : 'This brace closes nothing.',
        })
      stack.pop()
    }
  }
  if (words.length > 0) return fail('unreadable', { line: startedOn, reason: 'This line does not end with “;”.' })
  if (stack.length > 1) return fail('unreadable', { line, reason: 'A block is not closed.' })
  return ok(root)
}
