import { fail, ok, type Result } from '../../result.ts'
import { compileExpression, REDIRECT_STATUSES, type RedirectConditions, type RedirectStatus } from '../../routing/index.ts'
import { isOwnGuard } from './httpd-out.ts'
import { OPEN_SECTIONS, type Rewriting, rewritingIn, type Section, scopeOf, sectionsOf, virtualHosts } from './httpd-sections.ts'
import { type Directive, directivesOf } from './httpd-text.ts'
import { type Answering, keptInOrder } from './order.ts'
import {
  type Asked,
  apartFromHost,
  BEHIND_HOST,
  draftOf,
  LINE_SHOWN_CHARS,
  pathOfExpression,
  type ReadingSite,
  type ReadRedirects,
  type RedirectDraft,
  type RefusedLine,
  stemOfExpression,
} from './row.ts'

type Said<T> = Result<T, 'unsaid'>
const unsaid = (reason: string) => fail('unsaid', { reason })

/** How mod_alias names statuses. */
const STATUS_WORDS: Readonly<Record<string, RedirectStatus>> = { permanent: 301, temp: 302, seeother: 303, gone: 410 }

/** Directives that say what visitors get in ways that are no redirects. */
const OTHERWISE =
  /^(?:ErrorDocument|Proxy(?:Pass(?:Match|Reverse)?|HTMLURLMap)|(?:Script)?Alias(?:Match)?|FallbackResource|DirectoryIndex|Action)$/i
/** Of those the ones that take addresses away from what stands behind them. */
const TAKING = /^(?:Proxy(?:Pass(?:Match)?)|(?:Script)?Alias(?:Match)?)$/i
/** Directives that are about where somebody is sent; others of a configuration are none of ours. */
const OURS = /^(?:Redirect(?:Permanent|Temp|Match)?|Rewrite(?:Rule|Cond|Map)|Rewrite(?:Base))$/i

/** mod_rewrite has its say before mod_alias, each in the order of its lines; a virtual host's own lines come before those of the whole. */
const TURN = { rewrite: 0, alias: 1e9, ofWhole: 1e8 } as const

/**
 * Reads the redirect lines of Apache httpd 2.4: Redirect, RedirectPermanent, RedirectTemp, RedirectMatch (mod_alias), and
 * RewriteRule with R or G and its RewriteConds (mod_rewrite). What cannot be said here is refused by its line, never guessed; what takes
 * addresses there without being a redirect is told with the lines that answer in its place here.
 * @param text - a configuration, an .htaccess file, or lines out of one
 */
export function readHttpd(text: string, site: ReadingSite): ReadRedirects {
  return new Reader(directivesOf(text, site), site).read()
}

interface Place {
  readonly hosts: readonly string[]
  /** Why nobody can tell that what stands there holds. */
  readonly doubt: string | null
  /** It is of the whole configuration, which has virtual hosts. */
  readonly isOfWhole: boolean
  /** The section that holds it to a part of the server. */
  readonly closed: Section | null
}

class Reader {
  readonly #site: ReadingSite
  readonly #directives: readonly Directive[]
  readonly #sections: ReadonlyMap<Directive, readonly Section[]>
  readonly #context: 'server' | 'folder' | null
  readonly #rewriting: ReadonlyMap<number, Rewriting>
  readonly #virtual: ReadonlyMap<number, readonly string[]>
  readonly #lines: Answering[] = []
  readonly #refused: RefusedLine[] = []
  readonly #asks = new Map<string, Asked>()

  constructor(directives: readonly Directive[], site: ReadingSite) {
    this.#site = site
    this.#directives = directives
    this.#sections = sectionsOf(directives)
    this.#context = contextOf(directives)
    this.#rewriting = rewritingIn(directives, this.#sections, (section) =>
      this.#absenceOf(section) === null ? this.#doubtOf(section) : 'absent',
    )
    this.#virtual = virtualHosts(directives, this.#sections, site.hosts)
  }

  read(): ReadRedirects {
    let conditions: Directive[] = []
    const lastRule = this.#directives.findLast(({ name }) => /^RewriteRule$/i.test(name))
    /** A rule that has those behind it asked or not, and how many of them. */
    let leader: { readonly line: number; left: number } | null = null
    for (const each of this.#directives) {
      if (each.name.startsWith('<')) continue
      if (OTHERWISE.test(each.name)) this.#otherwise(each)
      if (/^Include(?:Optional)?$/i.test(each.name)) this.#ask({ what: 'file', name: each.args[0] ?? '', line: each.line })
      if (!OURS.test(each.name)) continue
      if (/^RewriteCond$/i.test(each.name)) {
        conditions.push(each)
        continue
      }
      const isRule = /^RewriteRule$/i.test(each.name)
      // What keeps requests from rows of ours that they are none for says nothing by itself.
      if (!isRule) this.#line(each, [], false, null)
      else if (!isGuard(each, conditions)) {
        const led = leader === null ? null : `Whether it is asked is up to line ${leader.line}, which passes it over.`
        this.#line(each, conditions, each === lastRule, led)
        if (leader !== null && --leader.left === 0) leader = null
        const left = ledBy(each)
        if (left > 0) leader = { line: each.line, left }
      }
      if (isRule) conditions = []
    }
    for (const condition of conditions) this.#refuse(condition, 'No rule follows this condition.')
    const kept = keptInOrder(this.#lines, this.#site)
    const refused = [...this.#refused, ...kept.refused].sort((a, b) => a.line - b.line)
    return { rows: kept.rows, refused, asks: [...this.#asks.values()] }
  }

  #line(each: Directive, conditions: readonly Directive[], isLast: boolean, led: string | null): void {
    const place = this.#placeOf(each)
    const isRule = /^RewriteRule$/i.test(each.name)
    if (typeof place === 'string') {
      // It is not there, or not for the site.
      for (const condition of conditions) this.#refuse(condition, 'The line that it belongs to is not taken.')
      return this.#refuse(each, place)
    }
    const { hosts } = place
    const doubt = place.doubt ?? led
    let read: Said<RedirectDraft>
    if (doubt !== null) read = unsaid(doubt)
    else if (isRule)
      read =
        each.own !== undefined
          ? ownRow(each.own, hosts, this.#site)
          : rewriteRule(each, conditions, { hosts, context: this.#context, isLast, site: this.#site })
    else
      read = /^Redirect/i.test(each.name)
        ? alias(each, hosts, this.#site)
        : unsaid('Maps and bases are not read; the lines that need them are refused.')
    const turn = (isRule ? TURN.rewrite : TURN.alias) + (place.isOfWhole ? TURN.ofWhole : 0) + each.line
    const said = { line: each.line, text: each.text.slice(0, LINE_SHOWN_CHARS), turn }
    if (read.ok) return void this.#lines.push({ ...said, draft: read.value, unsaid: null })
    for (const condition of conditions) this.#refuse(condition, 'The line that it belongs to is not taken.')
    const reason = String(read.detail.reason)
    if (/^Rewrite(?:Map|Base)$/i.test(each.name)) return this.#refuse(each, reason)
    if (place.closed !== null) {
      // What a section says comes before what is said for all.
      const { name, asks } = place.closed
      const match =
        name === 'location' && asks.startsWith('/') ? ({ match: 'under', from: asks.split(' ')[0] ?? '/' } as const) : EVERYTHING
      return void this.#lines.push({
        ...said,
        draft: draftOf({ ...match, to: '', status: 410, hosts }),
        turn: -1,
        isPerhaps: true,
        unsaid: reason,
      })
    }
    const taken = isRule ? takenByRule(each, conditions, hosts, this.#context, this.#site) : takenByAlias(each, hosts, this.#site)
    this.#lines.push({ ...said, ...taken, isPerhaps: taken.isPerhaps || doubt !== null, unsaid: reason })
  }

  /** Where a directive holds, and why nobody can tell that it does; a reason where it holds nowhere on this site. */
  #placeOf(each: Directive): Place | string {
    const { name } = each
    const sections = this.#sections.get(each) ?? []
    const isRewrite = /^Rewrite/i.test(name)
    const absent = sections.flatMap((section) => this.#absenceOf(section) ?? [])[0]
    if (absent !== undefined) return absent
    const closed = sections.find(
      (section) => !OPEN_SECTIONS.has(section.name) && !(section.name === 'directory' && this.#context === 'folder'),
    )
    const host = sections.findLast((section) => section.name === 'virtualhost')
    const isOfWhole = host === undefined && this.#virtual.size > 0
    // What is said for all of them holds on hosts that have one.
    const hosts = isOfWhole
      ? [...new Set([...this.#virtual.values()].flat())]
      : host === undefined
        ? []
        : (this.#virtual.get(host.line) ?? [])
    if (isOfWhole && hosts.length === 0) return 'None of the virtual hosts is one of this site’s.'
    if (host !== undefined && hosts.length === 0)
      return host.hosts.length === 0
        ? 'The server that it stands in has no name before it.'
        : `It is for “${host.hosts.join(' ')}”, which is no host of this site.`
    if (isOfWhole && isRewrite && closed === undefined) return 'It stands outside of the virtual hosts, which do not take such lines over.'
    const rewriting = this.#rewriting.get(scopeOf(sections)) ?? (host === undefined ? undefined : this.#rewriting.get(0))
    if (isRewrite && !/^RewriteCond$/i.test(name) && closed === undefined && rewriting?.isOn !== true)
      return 'Nothing switches rewriting on where it stands. If it is on, put “RewriteEngine On” before it.'
    const doubt =
      closed === undefined
        ? sections.flatMap((section) => this.#doubtOf(section) ?? [])[0]
        : `It stands inside <${closed.name}>, which holds it to a part of the server that a row here cannot name.`
    const perhapsOn = isRewrite && closed === undefined ? rewriting?.doubt : null
    return { hosts, doubt: doubt ?? perhapsOn ?? null, isOfWhole, closed: closed ?? null }
  }

  /** Why what is in a section is not there. */
  #absenceOf({ name, asks }: Section): string | null {
    if (name !== 'ifmodule') return null
    const [, not = '', module = ''] = /^(!?)(.*)$/.exec(asks) ?? []
    const has = this.#site.modules?.get(module)
    if (has === undefined || has === (not === '')) return null
    return has ? `It is there only where the server has no ${module}, and yours has it.` : `Your server has no ${module}.`
  }

  /** Why nobody can tell that what is in a section is there; null where it is. */
  #doubtOf({ name, asks, line }: Section): string | null {
    if (name === 'ifdefine') return `It stands inside <IfDefine ${asks}>: how that server is started decides whether it is there.`
    if (name === 'ifversion') return `It stands inside <IfVersion ${asks}>: the server’s version decides whether it is there.`
    if (name !== 'ifmodule') return null
    const module = asks.replace(/^!/, '')
    if (this.#site.modules?.has(module) === true) return null
    this.#ask({ what: 'module', name: module, line })
    return `It stands inside <IfModule ${asks}>: say whether the server has ${module}.`
  }

  #ask(asked: Asked): void {
    if (asked.what === 'file') this.#refused.push({ line: asked.line, text: `Include ${asked.name}`, reason: INCLUDED })
    const key = `${asked.what} ${asked.name}`
    if (!this.#asks.has(key)) this.#asks.set(key, asked)
  }

  #otherwise(each: Directive): void {
    const place = this.#placeOf(each)
    if (typeof place === 'string' || !TAKING.test(each.name)) return this.#refuse(each, 'It is no redirect, and is left out.')
    const [from = ''] = each.args
    const isKnown = /Match$/i.test(each.name) ? compileExpression(from, false).ok : from.startsWith('/')
    const match = !isKnown
      ? EVERYTHING
      : /Match$/i.test(each.name)
        ? ({ match: 'expression', from } as const)
        : ({ match: 'under', from } as const)
    this.#lines.push({
      line: each.line,
      text: each.text.slice(0, LINE_SHOWN_CHARS),
      draft: draftOf({ ...match, to: '', status: 410, hosts: place.hosts }),
      // Other modules have a say before or after these two.
      turn: -1,
      isPerhaps: true,
      unsaid: 'It is no redirect, and is left out.',
    })
  }

  #refuse({ line, text }: Directive, reason: string): void {
    this.#refused.push({ line, text: text.slice(0, LINE_SHOWN_CHARS), reason })
  }
}

/** Of the rules behind one, how many are asked only where it says so (mod_rewrite, flags "chain" and "skip"). */
function ledBy({ args }: Directive): number {
  const flags = args[2] ?? ''
  if (/[[,]\s*(?:C|chain)\s*[\],]/i.test(flags)) return 1
  return Number(/[[,]\s*(?:S|skip)=(\d+)/i.exec(flags)?.[1] ?? 0)
}

const INCLUDED = 'What another file holds is not seen from here. Bring that file in as well.'
const EVERYTHING = { match: 'under', from: '/' } as const

/** What a rule takes that is no row: the addresses it matches, or perhaps those; all where its expression cannot be read. */
function takenByRule(
  { args }: Directive,
  conditions: readonly Directive[],
  hosts: readonly string[],
  context: RuleSurroundings['context'],
  site: ReadingSite,
): { draft: RedirectDraft; isPerhaps: boolean } {
  const [pattern = '', to = '', flags = ''] = args
  const source = pattern.startsWith('!') ? null : sourceOf(pattern, context)
  const folded =
    source?.ok === true && (/\bNC\b|nocase/i.test(flags) || /^\(\?i\)/.test(pattern))
      ? `(?i)${source.value}`
      : source?.ok === true
        ? source.value
        : null
  const isKnown = folded !== null && compileExpression(folded, false).ok
  const match = isKnown ? ({ match: 'expression', from: folded } as const) : EVERYTHING
  const under = conditionsOf(conditions, hosts, site)
  const [named, when] = under.ok ? [under.value.hosts, under.value.when] : [hosts, {}]
  const changesNothing = to === '-' && !/\b(?:F|G|R=[45]\d\d|forbidden|gone)\b/i.test(flags)
  return { draft: draftOf({ ...match, to: '', status: 410, hosts: named, when }), isPerhaps: !under.ok || !isKnown || changesNothing }
}

function takenByAlias(
  { name, args }: Directive,
  hosts: readonly string[],
  { tolerance }: ReadingSite,
): { draft: RedirectDraft; isPerhaps: boolean } {
  const from = args.find((arg) => arg.startsWith('/') || /[\^$(]/.test(arg)) ?? ''
  const isMatch = /Match$/i.test(name)
  const isKnown = isMatch ? compileExpression(from, tolerance.ignoresCase).ok : from.startsWith('/')
  const match = !isKnown ? EVERYTHING : isMatch ? ({ match: 'expression', from } as const) : under(from)
  return { draft: draftOf({ ...match, to: '', status: 410, hosts }), isPerhaps: !isKnown }
}

/** A path of "Redirect": with a slash at its end, what is below it alone. */
const under = (from: string) =>
  from.endsWith('/') && from !== '/' ? ({ match: 'expression', from: `^${escaped(from)}` } as const) : ({ match: 'under', from } as const)

const isGuard = ({ text }: Directive, conditions: readonly Directive[]): boolean =>
  /^RewriteRule \^ - \[S=\d+\]$/.test(text) &&
  conditions.length === 1 &&
  conditions.every(({ args }) => isOwnGuard(args[0] ?? '', args[1] ?? ''))

/** A row of ours, on the hosts of the server it stands in. */
function ownRow(draft: RedirectDraft, hosts: readonly string[], site: ReadingSite): Said<RedirectDraft> {
  const stranger = draft.hosts.find((host) => !site.hosts.includes(host))
  if (stranger !== undefined) return unsaid(`It is for “${stranger}”, which is no host of this site.`)
  if (hosts.length === 0) return ok(draft)
  const both = draft.hosts.length === 0 ? hosts : draft.hosts.filter((host) => hosts.includes(host))
  return both.length === 0 ? unsaid('The server that it stands in has another name.') : ok({ ...draft, hosts: both })
}

/** Whether rules see a path with its first slash (a server's configuration) or without (.htaccess); null where nothing tells. */
function contextOf(directives: readonly Directive[]): 'server' | 'folder' | null {
  const patterns = directives.filter(({ name }) => /^RewriteRule$/i.test(name)).map(({ args }) => (args[0] ?? '').replace(/^\(\?i\)/, ''))
  const isServer = directives.some(({ name }) => /^<VirtualHost/i.test(name)) || patterns.some((each) => /^\(?\^\/(?!\?)/.test(each))
  const isFolder =
    directives.some(({ name }) => /^(?:RewriteBase|<Directory)$/i.test(name)) ||
    patterns.some((each) => /^\^[\w\\[(]/.test(each) && !/^\^\(?[.[/]/.test(each))
  return isServer === isFolder ? null : isServer ? 'server' : 'folder'
}

function statusOf(word: string): RedirectStatus | null {
  const number = STATUS_WORDS[word.toLowerCase()] ?? Number(word)
  return REDIRECT_STATUSES.find((status) => status === number) ?? null
}

/** mod_alias: Redirect [status] path [address]; RedirectMatch with an expression. */
function alias({ name, args }: Directive, hosts: readonly string[], { tolerance }: ReadingSite): Said<RedirectDraft> {
  const isMatch = /Match$/i.test(name)
  let rest = args
  let status: RedirectStatus = /Permanent$/i.test(name) ? 301 : 302
  if (/^(?:\d+|permanent|temp|seeother|gone)$/i.test(args[0] ?? '') && /^Redirect(?:Match)?$/i.test(name)) {
    const named = statusOf(args[0] ?? '')
    if (named === null) return unsaid(`A row here cannot answer ${args[0]}.`)
    status = named
    rest = args.slice(1)
  }
  const [from = '', to = ''] = rest
  if (rest.length > 2) return unsaid('It has more parts than a line of this kind.')
  if (status < 400 && to === '') return unsaid('It says no destination.')
  if (status >= 400 && to !== '') return unsaid('A status that leads nowhere cannot have a destination.')
  if (/%\{|%\d/.test(to.replace(/%[0-9a-f]{2}/gi, ''))) return unsaid('Its destination holds an expression of the server.')
  // The query that was asked with goes along where the destination has none of its own.
  const query = to.includes('?') ? 'drop' : 'pass'
  if (isMatch) {
    const exact = pathOfExpression(from, tolerance)
    if (exact !== null && !to.includes('$')) return ok(draftOf({ from: exact, to, status, query, hosts }))
    if (/\$0/.test(to)) return unsaid('It puts in the whole of what was matched ($0).')
    const apart = apartFromHost(from, withoutAmpersand(to))
    return apart.ok ? ok(draftOf({ match: 'expression', ...apart.value, status, query, hosts })) : apart
  }
  if (!from.startsWith('/')) return unsaid('Its path does not begin with “/”.')
  const dest = to.replaceAll('$', '$$$$')
  if (status >= 400)
    return from.endsWith('/') && from !== '/' && !tolerance.ignoresSlash
      ? unsaid('It stands for what is below a folder, and not for the folder.')
      : ok(draftOf({ match: 'under', from, to: '', status, hosts }))
  if (to.includes('?') || to.includes('#')) return unsaid('What comes behind the path would be put behind a query.')
  const bare = /^https?:\/\/[^/]+$/i.test(dest) ? `${dest}/` : dest
  if (from.endsWith('/') && bare !== dest)
    return unsaid(`There “${from}a” leads to ${to}a: a slash is missing behind the host. Write ${to}/ if that is meant.`)
  if (from === '/') return ok(draftOf({ match: 'under', from, to: dest.endsWith('/') ? dest : `${dest}$1`, status, query, hosts }))
  if (from.endsWith('/')) {
    if (!tolerance.ignoresSlash)
      return ok(draftOf({ match: 'expression', from: `^${escaped(from)}(.*)$`, to: `${dest}$1`, status, query, hosts }))
    return ok(
      draftOf({
        match: 'under',
        from: from.replace(/\/+$/, ''),
        to: dest.endsWith('/') ? dest : `${dest}$1`,
        status,
        query,
        hosts,
      }),
    )
  }
  if (bare !== dest) return ok(draftOf({ match: 'under', from, to: bare, status, query, hosts }))
  return ok(draftOf({ match: 'under', from, to: `${dest}$rest`, status, query, hosts }))
}

const escaped = (text: string): string => text.replace(/[\\^$.*+?()[\]{}|]/g, '\\$&')
/** "&" stands for the whole match in no destination of mod_alias since 2.0; "$$" is not known there. */
const withoutAmpersand = (to: string): string => to.replace(/\\(.)/g, '$1')
interface RuleSurroundings {
  readonly hosts: readonly string[]
  readonly context: 'server' | 'folder' | null
  readonly isLast: boolean
  readonly site: ReadingSite
}

/** Flags that make no difference to where somebody is sent. */
const HARMLESS = /^(?:L|last|END|NE|noescape|DPI)$/i

function rewriteRule(
  { args }: Directive,
  conditions: readonly Directive[],
  { hosts, context, isLast, site }: RuleSurroundings,
): Said<RedirectDraft> {
  const [written = '', to = '', flagText = ''] = args
  const pattern = written.replace(/^\(\?i\)/, '')
  const flags = flagText
    .replace(/^\[|\]$/g, '')
    .split(',')
    .map((flag) => flag.trim())
    .filter((flag) => flag !== '')
  let status: RedirectStatus | null = /^https?:\/\//i.test(to) ? 302 : null
  let [isEnd, keeps, drops, escapes, ignoresCase] = [false, false, false, false, pattern !== written]
  for (const flag of flags) {
    const [key = '', value] = flag.split('=')
    if (/^(?:R|redirect)$/i.test(key)) {
      const named = value === undefined ? 302 : statusOf(value)
      if (named === null) return unsaid(`A row here cannot answer ${value}.`)
      status = named
    } else if (/^(?:G|gone)$/i.test(key)) status = 410
    else if (/^(?:F|forbidden)$/i.test(key)) return unsaid('A row here cannot answer 403.')
    else if (/^(?:QSA|qsappend)$/i.test(key)) keeps = true
    else if (/^(?:QSD|qsdiscard)$/i.test(key)) drops = true
    else if (/^(?:NC|nocase)$/i.test(key)) ignoresCase = true
    else if (/^B$/i.test(key)) escapes = true
    else if (!HARMLESS.test(key)) return unsaid(`Its flag “${flag}” has no counterpart here.`)
    if (/^(?:L|last|END|G|gone)$/i.test(key)) isEnd = true
  }
  if (status === null) return unsaid('It rewrites inside the server and sends nobody elsewhere.')
  if (!isEnd && !isLast && status < 400) return unsaid('It has no L: the lines after it go on with what it made.')
  if (to === '-' && status < 400) return unsaid('It says no destination.')
  if (pattern.startsWith('!')) return unsaid('It is for all addresses that do not match, which a row cannot say.')
  if (/%[{\d]|\$\{/.test(to.replace(/\\.|%[0-9a-f]{2}/gi, '')))
    return unsaid('Its destination takes something from the request or from a condition.')
  const under = conditionsOf(conditions, hosts, site)
  if (!under.ok) return under
  const source = sourceOf(pattern, context)
  if (!source.ok) return source
  const rooted = status >= 400 ? '' : /^(?:\/|https?:\/\/)/i.test(to) ? to : context === 'folder' ? `/${to}` : null
  if (rooted === null) return unsaid('Its destination is neither a path nor an address.')
  const dest = rooted.replace(/\?$/, '').replace(/\\(.)/g, (_, sign: string) => (sign === '$' ? '$$' : sign))
  if (/\$0/.test(dest)) return unsaid('It puts in the whole of what was matched ($0).')
  if (escapes && /\$\d/.test(dest)) return unsaid('Its flag “B” writes what it puts in otherwise than a row does.')
  const hasOwn = dest.includes('?')
  if (hasOwn && rooted.endsWith('?')) return unsaid('Its destination has more than one “?”.')
  const query = drops || (rooted.endsWith('?') && !keeps) || (hasOwn && !keeps) ? 'drop' : 'pass'
  const { hosts: named, when } = under.value
  const flagged = ignoresCase && !site.tolerance.ignoresCase ? `(?i)${source.value}` : source.value
  const exact = flagged === source.value ? pathOfExpression(source.value, site.tolerance) : null
  if (exact !== null && !/\$\d/.test(dest)) return ok(draftOf({ from: exact, to: dest, status, query, hosts: named, when }))
  const stem = flagged === source.value ? stemOfExpression(source.value) : null
  if (stem !== null && (/\$/.test(dest) || !dest.endsWith('/'))) {
    if (BEHIND_HOST.exec(dest)?.[2] === '2') return unsaid('What it catches would go on with the name of the host.')
    const to = dest
      .replace(/^(https?:\/\/[^/?#$]+)\$1/i, '$1/$$2')
      .replace(/\$([12])/g, (_, group: string) => (group === '1' ? '$rest' : '$1'))
    return ok(draftOf({ match: 'under', from: stem, to, status, query, hosts: named, when }))
  }
  const apart = apartFromHost(flagged, dest)
  return apart.ok ? ok(draftOf({ match: 'expression', ...apart.value, status, query, hosts: named, when })) : apart
}

const NOTHING_TELLS =
  'Nothing tells whether this is from .htaccess or from the server’s configuration, and it means something else in each.'

/** A rule's expression as it is looked for in a path with its first slash. */
function sourceOf(pattern: string, context: RuleSurroundings['context']): Said<string> {
  if (pattern.startsWith('^/?')) return ok(`^/${pattern.slice(3)}`) // written for both
  if (context === 'server') return ok(pattern)
  if (/^\^\(?\/(?!\?)/.test(pattern)) {
    if (context === 'folder') return unsaid('It never answers: in .htaccess paths have no slash before them.')
    return pattern.startsWith('^/') ? ok(pattern) : unsaid(NOTHING_TELLS)
  }
  const anchors = pattern.replace(/\\.|\[(?:[^\]\\]|\\.)*\]/g, '_').match(/\^/g)?.length ?? 0
  const isAnchored = pattern.startsWith('^')
  if (anchors > (isAnchored ? 1 : 0)) return unsaid('It names the beginning of a path in its middle.')
  if (context === 'folder') return ok(isAnchored ? `^/${pattern.slice(1)}` : `^/.*?(?:${pattern})`)
  if (!isAnchored && !/[.([]/.test(pattern.replace(/\\./g, ''))) return ok(pattern) // the same with a slash and without
  return unsaid(NOTHING_TELLS)
}

/** What RewriteConds ask for, as hosts and conditions of a row. */
function conditionsOf(
  conditions: readonly Directive[],
  hosts: readonly string[],
  site: ReadingSite,
): Said<{ hosts: readonly string[]; when: RedirectConditions }> {
  let named: string[] | null = hosts.length > 0 ? [...hosts] : null
  let when: RedirectConditions = {}
  let either: string[] = []
  for (const { args } of conditions) {
    const [test = '', pattern = '', flags = ''] = args
    const isOr = /\bOR\b|ornext/i.test(flags)
    if (/^%\{HTTP_HOST\}$/i.test(test)) {
      if (pattern.startsWith('!')) return unsaid('It is for all hosts but one, which a row cannot say.')
      const found = hostsOf(pattern, site.hosts)
      if (found.length === 0) return unsaid(`No host of this site is meant by “${pattern}”.`)
      either.push(...found)
      if (isOr) continue
      const all = either
      named = named === null ? all : named.filter((each) => all.includes(each))
      either = []
      if (named.length === 0) return unsaid('Its conditions name hosts that are never the same.')
    } else if (isOr || either.length > 0) return unsaid('One of several conditions is enough, which a row cannot say.')
    else if (/^%\{QUERY_STRING\}$/i.test(test)) {
      const asked = queryOf(pattern)
      if (asked === null) return unsaid(`A row cannot ask for a query like “${pattern}”.`)
      if (/\bNC\b|nocase/i.test(flags) && asked.query.some(({ name, value }) => /\p{L}/u.test(`${name}${value ?? ''}`)))
        return unsaid('A row tells capitals in a query apart, and this condition does not.')
      if (when.noOtherQuery === true || (asked.noOtherQuery && when.query !== undefined))
        return unsaid('Its conditions on the query do not go together.')
      when = { query: [...(when.query ?? []), ...asked.query], ...(asked.noOtherQuery ? { noOtherQuery: true } : {}) }
    } else if (/^%\{REQUEST_FILENAME\}$/i.test(test) && /^!-[fd]$/.test(pattern)) {
      // "Only where there is no such file": a published page comes before a row in any case.
    } else return unsaid(`A row cannot ask for ${test}.`)
  }
  if (either.length > 0) return unsaid('Its last condition says “or”, and nothing follows.')
  return ok({ hosts: named ?? [], when })
}

/** Which of the site's hosts an expression means. */
function hostsOf(pattern: string, own: readonly string[]): string[] {
  const name = pattern.replace('(?::\\d+)?', '') // a port, which is no part of a host
  // Only what is plainly a name: letters, dots, and choices of them.
  if (!/^\^?(?:[\w\-.]|\\\.|\((?:\?:)?[\w\-.\\|]*\)\??)*\$?$/.test(name)) return []
  const compiled = compileExpression(name, true)
  return compiled.ok ? own.filter((host) => compiled.value.match(host) !== null) : []
}

/** What an expression on a query asks for; null where a row cannot. */
export function queryOf(pattern: string): { query: { name: string; value: string | null }[]; noOtherQuery: boolean } | null {
  if (pattern === '^$') return { query: [], noOtherQuery: true }
  const plain = '((?:[\\w~-]|%[0-9A-Fa-f]{2}|\\\\[.+-])+)=((?:[\\w~-]|%[0-9A-Fa-f]{2}|\\\\[.+-])*)'
  const alone = new RegExp(`^\\^${plain}\\$$`).exec(pattern)
  const among = new RegExp(`^\\((?:\\?:)?(?:\\^\\|&|&\\|\\^)\\)${plain}\\((?:\\?:)?(?:&\\|\\$|\\$\\|&)\\)$`).exec(pattern)
  const found = alone ?? among
  if (found?.[1] === undefined) return null
  const read = (text: string): string => decodeURIComponent(text.replace(/\\(.)/g, '$1'))
  try {
    return { query: [{ name: read(found[1]), value: read(found[2] ?? '') }], noOtherQuery: alone !== null }
  } catch {
    return null
  }
}
