import { fail, ok, type Result } from '../../result.ts'
import { compileExpression, REDIRECT_STATUSES, type RedirectStatus } from '../../routing/index.ts'
import { conditionsOf } from './httpd-conditions.ts'
import type { Directive } from './httpd-text.ts'
import { apartFromHost, BEHIND_HOST, draftOf, pathOfExpression, type ReadingSite, type RedirectDraft, stemOfExpression } from './row.ts'

type Said<T> = Result<T, 'unsaid'>
const unsaid = (reason: string) => fail('unsaid', { reason })

/** How mod_alias names statuses. */
const STATUS_WORDS: Readonly<Record<string, RedirectStatus>> = { permanent: 301, temp: 302, seeother: 303, gone: 410 }

/** Whether rules see a path with its first slash (a server's configuration) or without (.htaccess); null where nothing tells. */
export function contextOf(directives: readonly Directive[]): 'server' | 'folder' | null {
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
export function alias({ name, args }: Directive, hosts: readonly string[], { tolerance }: ReadingSite): Said<RedirectDraft> {
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
export interface RuleSurroundings {
  readonly hosts: readonly string[]
  readonly context: 'server' | 'folder' | null
  readonly isLast: boolean
  readonly site: ReadingSite
}

/** Flags that make no difference to where somebody is sent. */
const HARMLESS = /^(?:L|last|END|NE|noescape|DPI)$/i

export function rewriteRule(
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

/** Where nothing more is known. */
export const EVERYTHING = { match: 'under', from: '/' } as const

/** What a rule takes that is no row: the addresses it matches, or perhaps those; all where its expression cannot be read. */
export function takenByRule(
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

/** What a line of mod_alias takes, or one that is like it, that is no row. */
export function takenByAlias(
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
