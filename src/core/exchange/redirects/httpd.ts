import { fail, ok, type Result } from '../../result.ts'
import { compileExpression, REDIRECT_STATUSES, type RedirectConditions, type RedirectStatus } from '../../routing/index.ts'
import { isOwnGuard, ownRowAt } from './httpd-out.ts'
import { keptInOrder, type RankedRedirect } from './order.ts'
import {
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

/** A directive with its arguments, and the line it begins on. */
interface Directive {
  readonly line: number
  readonly name: string
  readonly args: readonly string[]
  readonly text: string
  /** Of lines that were written for a row of ours: that row. */
  readonly own?: RedirectDraft
}

type Said<T> = Result<T, 'unsaid'>
const unsaid = (reason: string) => fail('unsaid', { reason })

/** How mod_alias names statuses. */
const STATUS_WORDS: Readonly<Record<string, RedirectStatus>> = { permanent: 301, temp: 302, seeother: 303, gone: 410 }
/** Sections in which lines mean what they mean outside of them. */
const OPEN_SECTIONS = new Set(['ifmodule', 'virtualhost', 'ifversion', 'ifdefine'])
/** Sections of which only the server knows whether what is in them is there at all. */
const CONDITIONAL_SECTIONS = new Set(['ifmodule', 'ifversion', 'ifdefine'])

interface Section {
  readonly name: string
  readonly line: number
  /** What it is written with: the module, version or word that it asks for. */
  readonly asks: string
  readonly hosts: string[]
}

/** Why nobody can tell that what is in a section is there; null where it is. */
function doubtOf({ name, asks }: Section): string | null {
  if (name === 'ifdefine') return `It stands inside <IfDefine ${asks}>: how that server is started decides whether it is there.`
  if (name === 'ifversion') return `It stands inside <IfVersion ${asks}>: the server’s version decides whether it is there.`
  if (name === 'ifmodule' && asks.startsWith('!')) return `It is there only where the server has no ${asks.slice(1)}.`
  return null
}

/** The part of a configuration that a directive is of: the line its section begins on; 0 for the whole. */
const scopeOf = (sections: readonly Section[]): number => sections.findLast(({ name }) => !CONDITIONAL_SECTIONS.has(name))?.line ?? 0

/** Parts in which rewriting is switched on, wherever in them that is said (mod_rewrite, RewriteEngine: the last word counts, and none is handed down). */
function rewritingIn(directives: readonly Directive[]): ReadonlySet<number> {
  const on = new Set<number>()
  const sections: Section[] = []
  for (const { name, args, line } of directives) {
    if (name.startsWith('</')) sections.pop()
    else if (name.startsWith('<')) sections.push({ name: name.slice(1).toLowerCase(), line, asks: args.join(' '), hosts: [] })
    else if (/^RewriteEngine$/i.test(name)) {
      if (/^on$/i.test(args[0] ?? '')) on.add(scopeOf(sections))
      else on.delete(scopeOf(sections))
    }
  }
  return on
}
/** Directives that say what visitors get in ways that are no redirects. */
const OTHERWISE =
  /^(?:ErrorDocument|Proxy(?:Pass(?:Match|Reverse)?|HTMLURLMap)|(?:Script)?Alias(?:Match)?|FallbackResource|DirectoryIndex|Action)$/i
/** Directives that are about where somebody is sent; others of a configuration are none of ours. */
const OURS = /^(?:Redirect(?:Permanent|Temp|Match)?|Rewrite(?:Rule|Cond|Map)|Rewrite(?:Base))$/i

/**
 * Reads the redirect lines of Apache httpd 2.4: Redirect, RedirectPermanent, RedirectTemp, RedirectMatch (mod_alias), and
 * RewriteRule with R or G and its RewriteConds (mod_rewrite). What cannot be said here is refused by its line, never guessed.
 * @param text - a configuration, an .htaccess file, or lines out of one
 */
export function readHttpd(text: string, site: ReadingSite): ReadRedirects {
  const refused: RefusedLine[] = []
  const ranked: RankedRedirect[] = []
  const directives = directivesOf(text, site)
  const context = contextOf(directives)
  const rewriting = rewritingIn(directives)
  const sections: Section[] = []
  let conditions: Directive[] = []
  const refuse = ({ line, text: of }: Directive, reason: string): void =>
    void refused.push({ line, text: of.slice(0, LINE_SHOWN_CHARS), reason })
  const lastRule = directives.findLast(({ name }) => /^RewriteRule$/i.test(name))
  for (const each of directives) {
    const { name } = each
    if (name.startsWith('</')) {
      sections.pop()
      continue
    }
    if (name.startsWith('<')) {
      sections.push({ name: name.slice(1).toLowerCase(), line: each.line, asks: each.args.join(' '), hosts: [] })
      continue
    }
    const host = sections.findLast((section) => section.name === 'virtualhost')
    if (/^Server(?:Name|Alias)$/i.test(name))
      host?.hosts.push(
        ...each.args.map((arg) =>
          arg
            .toLowerCase()
            .replace(/^\w+:\/\//, '')
            .replace(/:\d+$/, ''),
        ),
      )
    if (OTHERWISE.test(name)) refuse(each, 'It is no redirect, and is left out.')
    if (!OURS.test(name)) continue
    const closed = sections.find((section) => !OPEN_SECTIONS.has(section.name) && !(section.name === 'directory' && context === 'folder'))
    if (closed !== undefined) {
      refuse(each, `It stands inside <${closed.name}>, which holds it to a part of the server that a row here cannot name.`)
      if (!/^RewriteCond$/i.test(name)) conditions = []
      continue
    }
    if (/^RewriteCond$/i.test(name)) {
      conditions.push(each)
      continue
    }
    const doubt = sections.flatMap((section) => doubtOf(section) ?? [])[0]
    const hosts = host?.hosts ?? []
    const stranger = hosts.find((own) => !site.hosts.includes(own))
    let read: Said<RedirectDraft>
    // What keeps requests from rows of ours that they are none for says nothing by itself.
    if (isGuard(each, conditions)) {
      conditions = []
      continue
    }
    if (doubt !== undefined) read = unsaid(doubt)
    else if (host !== undefined && hosts.length === 0) read = unsaid('The server that it stands in has no name before it.')
    else if (stranger !== undefined) read = unsaid(`It is for “${stranger}”, which is no host of this site.`)
    else if (/^RewriteRule$/i.test(name))
      read = rewriting.has(scopeOf(sections))
        ? each.own !== undefined
          ? ownRow(each.own, hosts, site)
          : rewriteRule(each, conditions, { hosts, context, isLast: each === lastRule, site })
        : unsaid('Nothing switches rewriting on where it stands. If it is on, put “RewriteEngine On” before it.')
    else
      read = /^Redirect/i.test(name)
        ? alias(each, hosts, site)
        : unsaid('Maps and bases are not read; the lines that need them are refused.')
    if (/^RewriteRule$/i.test(name)) {
      if (!read.ok) for (const condition of conditions) refuse(condition, 'The line that it belongs to is not taken.')
      conditions = []
    }
    if (!read.ok) refuse(each, String(read.detail.reason))
    // mod_rewrite has its say before mod_alias, each in the order of its lines.
    else
      ranked.push({
        line: each.line,
        draft: read.value,
        turn: (/^Redirect/i.test(name) ? 1e9 : 0) + each.line,
        text: each.text.slice(0, LINE_SHOWN_CHARS),
      })
  }
  for (const condition of conditions) refuse(condition, 'No rule follows this condition.')
  const kept = keptInOrder(ranked, site)
  return { rows: kept.rows, refused: [...refused, ...kept.refused].sort((a, b) => a.line - b.line) }
}

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

/** Longest line that is taken apart, with those that it goes on in. */
const DIRECTIVE_MAX_CHARS = 20_000

/** Lines as httpd reads them: ended by "\" they go on, quotes keep blanks together. */
function directivesOf(text: string, site: ReadingSite): Directive[] {
  const out: Directive[] = []
  const lines = text.split(/\r?\n/)
  for (let i = 0; i < lines.length; i++) {
    const line = i + 1
    const own = lines[i]?.startsWith('# {') === true ? ownRowAt(lines, i, site) : null
    if (own !== null) {
      out.push({ line, name: 'RewriteRule', args: [], text: lines[i] ?? '', own: own.draft })
      i += own.lines - 1
      continue
    }
    const parts: string[] = []
    for (; ; i++) {
      const part = (lines[i] ?? '').trimEnd()
      const goesOn = part.endsWith('\\') && i + 1 < lines.length
      parts.push(goesOn ? part.slice(0, -1) : part)
      if (!goesOn) break
    }
    const trimmed = parts.join(' ').trim()
    if (trimmed === '' || trimmed.startsWith('#')) continue
    // No redirect is so long; a quote without an end would be looked for over and over again.
    if (trimmed.length > DIRECTIVE_MAX_CHARS) {
      out.push({ line, name: 'RewriteMap', args: [], text: trimmed })
      continue
    }
    const words = wordsOf(trimmed.startsWith('<') ? trimmed.replace(/>\s*$/, '') : trimmed)
    out.push({ line, name: words[0] ?? '', args: words.slice(1), text: trimmed })
  }
  return out
}

function wordsOf(line: string): string[] {
  const words: string[] = []
  for (const [, double, single, bare] of line.matchAll(/"((?:[^"\\]|\\.)*)"|'((?:[^'\\]|\\.)*)'|(\S+)/g))
    words.push(double?.replace(/\\"/g, '"') ?? single?.replace(/\\'/g, "'") ?? bare ?? '')
  return words
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
