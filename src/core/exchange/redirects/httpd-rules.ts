import { tell } from '../../../words/index.ts'
import { ok } from '../../result.ts'
import { compileExpression, REDIRECT_STATUSES, type RedirectStatus } from '../../routing/index.ts'
import { conditionsOf } from './httpd-conditions.ts'
import type { Directive } from './httpd-text.ts'
import {
  apartFromHost,
  BEHIND_HOST,
  draftOf,
  pathOfExpression,
  type ReadingSite,
  type RedirectDraft,
  type Sayable,
  stemOfExpression,
  unsaid,
} from './row.ts'

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
export function alias({ name, args }: Directive, hosts: readonly string[], { tolerance }: ReadingSite): Sayable<RedirectDraft> {
  const isMatch = /Match$/i.test(name)
  let rest = args
  let status: RedirectStatus = /Permanent$/i.test(name) ? 301 : 302
  if (/^(?:\d+|permanent|temp|seeother|gone)$/i.test(args[0] ?? '') && /^Redirect(?:Match)?$/i.test(name)) {
    const named = statusOf(args[0] ?? '')
    if (named === null) return unsaid(tell('config.no-such-status', { status: args[0] ?? '' }))
    status = named
    rest = args.slice(1)
  }
  const [from = '', to = ''] = rest
  if (rest.length > 2) return unsaid(tell('config.too-many-parts'))
  if (status < 400 && to === '') return unsaid(tell('config.no-destination'))
  if (status >= 400 && to !== '') return unsaid(tell('config.destination-of-nothing'))
  if (/%\{|%\d/.test(to.replace(/%[0-9a-f]{2}/gi, ''))) return unsaid(tell('config.server-expression'))
  // The query that was asked with goes along where the destination has none of its own.
  const query = to.includes('?') ? 'drop' : 'pass'
  if (isMatch) {
    const exact = pathOfExpression(from, tolerance)
    if (exact !== null && !to.includes('$')) return ok(draftOf({ from: exact, to, status, query, hosts }))
    if (/\$0/.test(to)) return unsaid(tell('config.whole-match'))
    const apart = apartFromHost(from, withoutAmpersand(to))
    return apart.ok ? ok(draftOf({ match: 'expression', ...apart.value, status, query, hosts })) : apart
  }
  if (!from.startsWith('/')) return unsaid(tell('config.no-slash-first'))
  const dest = to.replaceAll('$', '$$$$')
  if (status >= 400)
    return from.endsWith('/') && from !== '/' && !tolerance.ignoresSlash
      ? unsaid(tell('config.below-alone'))
      : ok(draftOf({ match: 'under', from, to: '', status, hosts }))
  if (to.includes('?') || to.includes('#')) return unsaid(tell('config.behind-a-query'))
  const bare = /^https?:\/\/[^/]+$/i.test(dest) ? `${dest}/` : dest
  if (from.endsWith('/') && bare !== dest) return unsaid(tell('config.no-slash-behind-host', { from, to }))
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
): Sayable<RedirectDraft> {
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
      if (named === null) return unsaid(tell('config.no-such-status', { status: value ?? '' }))
      status = named
    } else if (/^(?:G|gone)$/i.test(key)) status = 410
    else if (/^(?:F|forbidden)$/i.test(key)) return unsaid(tell('config.no-403'))
    else if (/^(?:QSA|qsappend)$/i.test(key)) keeps = true
    else if (/^(?:QSD|qsdiscard)$/i.test(key)) drops = true
    else if (/^(?:NC|nocase)$/i.test(key)) ignoresCase = true
    else if (/^B$/i.test(key)) escapes = true
    else if (!HARMLESS.test(key)) return unsaid(tell('config.no-such-flag', { flag }))
    if (/^(?:L|last|END|G|gone)$/i.test(key)) isEnd = true
  }
  if (status === null) return unsaid(tell('config.rewrites-inside'))
  if (!isEnd && !isLast && status < 400) return unsaid(tell('config.goes-on'))
  if (to === '-' && status < 400) return unsaid(tell('config.no-destination'))
  if (pattern.startsWith('!')) return unsaid(tell('config.all-but-these'))
  if (/%[{\d]|\$\{/.test(to.replace(/\\.|%[0-9a-f]{2}/gi, ''))) return unsaid(tell('config.takes-from-request'))
  const under = conditionsOf(conditions, hosts, site)
  if (!under.ok) return under
  const source = sourceOf(pattern, context)
  if (!source.ok) return source
  const rooted = status >= 400 ? '' : /^(?:\/|https?:\/\/)/i.test(to) ? to : context === 'folder' ? `/${to}` : null
  if (rooted === null) return unsaid(tell('config.neither-path-nor-address'))
  const dest = rooted.replace(/\?$/, '').replace(/\\(.)/g, (_, sign: string) => (sign === '$' ? '$$' : sign))
  if (/\$0/.test(dest)) return unsaid(tell('config.whole-match'))
  if (escapes && /\$\d/.test(dest)) return unsaid(tell('config.escapes-otherwise'))
  const hasOwn = dest.includes('?')
  if (hasOwn && rooted.endsWith('?')) return unsaid(tell('config.two-queries'))
  const query = drops || (rooted.endsWith('?') && !keeps) || (hasOwn && !keeps) ? 'drop' : 'pass'
  const { hosts: named, when } = under.value
  const flagged = ignoresCase && !site.tolerance.ignoresCase ? `(?i)${source.value}` : source.value
  const exact = flagged === source.value ? pathOfExpression(source.value, site.tolerance) : null
  if (exact !== null && !/\$\d/.test(dest)) return ok(draftOf({ from: exact, to: dest, status, query, hosts: named, when }))
  const stem = flagged === source.value ? stemOfExpression(source.value) : null
  if (stem !== null && (/\$/.test(dest) || !dest.endsWith('/'))) {
    if (BEHIND_HOST.exec(dest)?.[2] === '2') return unsaid(tell('config.catches-host'))
    const to = dest
      .replace(/^(https?:\/\/[^/?#$]+)\$1/i, '$1/$$2')
      .replace(/\$([12])/g, (_, group: string) => (group === '1' ? '$rest' : '$1'))
    return ok(draftOf({ match: 'under', from: stem, to, status, query, hosts: named, when }))
  }
  const apart = apartFromHost(flagged, dest)
  return apart.ok ? ok(draftOf({ match: 'expression', ...apart.value, status, query, hosts: named, when })) : apart
}

const NOTHING_TELLS = tell('config.nothing-tells-context')

/** A rule's expression as it is looked for in a path with its first slash. */
function sourceOf(pattern: string, context: RuleSurroundings['context']): Sayable<string> {
  if (pattern.startsWith('^/?')) return ok(`^/${pattern.slice(3)}`) // written for both
  if (context === 'server') return ok(pattern)
  if (/^\^\(?\/(?!\?)/.test(pattern)) {
    if (context === 'folder') return unsaid(tell('config.slash-in-folder'))
    return pattern.startsWith('^/') ? ok(pattern) : unsaid(NOTHING_TELLS)
  }
  const anchors = pattern.replace(/\\.|\[(?:[^\]\\]|\\.)*\]/g, '_').match(/\^/g)?.length ?? 0
  const isAnchored = pattern.startsWith('^')
  if (anchors > (isAnchored ? 1 : 0)) return unsaid(tell('config.beginning-in-middle'))
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
