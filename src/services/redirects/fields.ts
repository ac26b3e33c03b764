import { NAMED_MAX } from '../../contract/redirects.ts'
import { parseUrl } from '../../core/address/index.ts'
import { PLAIN_DRAFT, type RedirectDraft } from '../../core/exchange/index.ts'
import { fail, ok, type Result } from '../../core/result.ts'
import {
  isPlain,
  leadsOn,
  NO_BACKSLASH,
  pathKey,
  plainPath,
  type Redirect,
  type RedirectFault,
  readyRedirect,
  redirectKey,
  TOLERANCE,
} from '../../core/routing/index.ts'
import type { SiteGround } from '../../core/rules/index.ts'
import type { RedirectFields } from '../../data/redirects.ts'
import { tell } from '../../words/index.ts'

export type RedirectFieldFault =
  | RedirectFault
  | 'destination-control'
  | 'destination-log-in'
  | 'unknown-host'
  | 'redirect-to-itself'
  | 'time-passed'

/** A row with what people leave unsaid. */
export const PLAIN_REDIRECT: Omit<RedirectDraft, 'from'> = { ...PLAIN_DRAFT, to: '' }

/**
 * What a person asked for, as a row is kept: an address of the site's own as its path, with the host it names and the query as
 * a condition.
 */
export function fieldsOf({ setup }: SiteGround, wanted: RedirectDraft): Result<RedirectFields, RedirectFieldFault> {
  const isOwn = (host: string): boolean => setup.hosts.some((own) => own.host === host)
  const isPath = wanted.match === 'exact' || wanted.match === 'under'
  const read = isPath ? readFrom(wanted.from.trim(), isOwn) : ok({ path: wanted.from.trim(), host: null, query: [] })
  if (!read.ok) return read
  const { path, host, query } = read.value
  const hosts = [...new Set([...wanted.hosts, ...(host === null || wanted.hosts.length > 0 ? [] : [host])])]
  const stranger = hosts.find((each) => !isOwn(each))
  if (stranger !== undefined) return fail('unknown-host', { host: stranger })
  const { fromMs, untilMs } = wanted.when
  if (fromMs !== undefined && untilMs !== undefined && untilMs <= fromMs)
    return fail('time-passed', { at: new Date(untilMs).toISOString() })
  const when = query.length === 0 ? wanted.when : { ...wanted.when, query: [...(wanted.when.query ?? []), ...query] }
  if ((when.query ?? []).length > NAMED_MAX)
    return fail('path-unreadable', { why: tell('redirect.too-many-parameters', { most: NAMED_MAX, asked: (when.query ?? []).length }) })
  if (leadsOn(wanted.status) && /\p{Cc}/u.test(wanted.to.trim())) return fail('destination-control')
  const to = parseUrl(wanted.to.trim())
  if (to !== null && (to.username !== '' || to.password !== '')) return fail('destination-log-in')
  const draft: RedirectDraft = {
    ...wanted,
    note: wanted.note.trim(),
    from: path,
    hosts,
    when,
    to: leadsOn(wanted.status) ? wanted.to.trim() : '',
  }
  const row: Redirect = { ...draft, id: '', order: 0 }
  const ready = readyRedirect(row, setup.tolerance ?? TOLERANCE)
  if (!ready.ok) return ready
  const key = isPath ? redirectKey(row) : path
  // The shortest circle; longer ones are found by following the way.
  const tolerance = setup.tolerance ?? TOLERANCE
  const asAsked = (from: string): string => pathKey(plainPath(from), tolerance)
  if (row.match === 'exact' && row.to.startsWith('/') && asAsked(row.to.replace(/[?#].*$/s, '')) === asAsked(path))
    return fail('redirect-to-itself', { from: path, to: row.to })
  return ok({ ...draft, key })
}

interface ReadFrom {
  readonly path: string
  /** Null where none is named. */
  readonly host: string | null
  readonly query: readonly { readonly name: string; readonly value: string }[]
}

function readFrom(from: string, isOwn: (host: string) => boolean): Result<ReadFrom, 'path-unreadable' | 'unknown-host'> {
  // An address with one would become another, for which somebody else may have a row.
  if (from.includes('\\')) return fail('path-unreadable', { from, why: NO_BACKSLASH })
  if (isPlain(from) && !from.startsWith('//')) return ok({ path: from, host: null, query: [] })
  const url = /^https?:\/\//i.test(from)
    ? parseUrl(from)
    : from.startsWith('/') && !from.startsWith('//')
      ? parseUrl(from, 'http://site.invalid')
      : null
  if (url === null) return fail('path-unreadable', { from })
  const host = url.hostname === 'site.invalid' ? null : url.hostname
  if (host !== null && !isOwn(host)) return fail('unknown-host', { host })
  return ok({ path: plainPath(url.pathname), host, query: [...url.searchParams].map(([name, value]) => ({ name, value })) })
}

/** What a row is for: two of the same name are one row. Where capitals or slashes matter, they tell rows apart. */
export const nameOfRow = ({ setup }: SiteGround, row: Pick<RedirectFields, 'match' | 'key' | 'from' | 'hosts' | 'when'>): string => {
  const isPath = row.match === 'exact' || row.match === 'under'
  return `${row.match} ${isPath ? pathKey(plainPath(row.from), setup.tolerance ?? TOLERANCE) : row.key} ${sameNess(row)}`
}

/** What of a row tells it from others that are found by the same. */
const sameNess = ({ hosts, when }: Pick<RedirectFields, 'hosts' | 'when'>): string =>
  JSON.stringify([
    [...hosts].sort(),
    [...(when.query ?? [])].map(({ name, value }) => [name, value]).sort(),
    when.noOtherQuery ?? false,
    [...(when.languages ?? [])].sort(),
    [...(when.devices ?? [])].sort(),
    when.fromMs ?? null,
    when.untilMs ?? null,
  ])
