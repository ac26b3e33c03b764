import { type Told, tell } from '../../../words/index.ts'
import { ok } from '../../result.ts'
import type { Redirect, Tolerance } from '../../routing/index.ts'

/** A row of redirects on its way in or out: all that a person set, without its place and number. */
export interface RedirectDraft extends Omit<Redirect, 'id' | 'order'> {
  readonly note: string
  readonly isOn: boolean
  /** Never offered for menus, never in the sitemap. */
  readonly isHidden: boolean
}

/** A row that was read, with the line it stands on; lines count from 1. */
export interface ReadRedirect {
  readonly line: number
  readonly draft: RedirectDraft
}

/** What was read of a line, or why no row can say it. */
export type Sayable<T> = { readonly ok: true; readonly value: T } | { readonly ok: false; readonly reason: Told }

export const unsaid = (reason: Told) => ({ ok: false, reason }) as const

/** A line that cannot be said here, and why. */
export interface RefusedLine {
  readonly line: number
  readonly text: string
  readonly reason: Told
}

/** What was read of a text; every line that is about redirects is in one of the two. */
export interface ReadRedirects {
  readonly rows: readonly ReadRedirect[]
  readonly refused: readonly RefusedLine[]
  /** What has to be known of the server to read more of it. */
  readonly asks: readonly Asked[]
}

/** A module of which nobody has said whether the server has it, or a file that it includes and that is not here; and the first line that needs it. */
export interface Asked {
  readonly what: 'module' | 'file'
  readonly name: string
  readonly line: number
}

/** Of a row that cannot be written out, why. */
export interface Unsaid {
  readonly draft: RedirectDraft
  readonly reason: Told
}

/** What a reader has to know of the site. */
export interface ReadingSite {
  readonly tolerance: Tolerance
  /** Hosts that the site's pages stand on, main host first, lower case. */
  readonly hosts: readonly string[]
  /** Of modules that the text asks for, whether the server has them, as far as that is known. */
  readonly modules?: ReadonlyMap<string, boolean>
}

/** Of a line in a report. */
export const LINE_SHOWN_CHARS = 300

/** What people leave unsaid. */
export const PLAIN_DRAFT: Omit<RedirectDraft, 'from' | 'to'> = {
  hosts: [],
  match: 'exact',
  when: {},
  status: 301,
  query: 'pass',
  beatsPages: false,
  note: '',
  isOn: true,
  isHidden: true,
}

/** A row with what people leave unsaid. */
export const draftOf = (said: Pick<RedirectDraft, 'from' | 'to'> & Partial<RedirectDraft>): RedirectDraft => ({ ...PLAIN_DRAFT, ...said })

/** An expression of another program, if it says no more than a path or an ending slash. @returns the path it means exactly; null for one that means more */
export function pathOfExpression(source: string, { ignoresSlash }: Tolerance): string | null {
  const found = /^\^(\/(?:[\w~!&',;=:@%/ -]|\\[^\w\s]|[^\0-\x7f])*?)(\/[?*])?\$$/u.exec(source)
  if (found?.[1] === undefined || (found[2] !== undefined && !ignoresSlash)) return null
  return found[1].replace(/\\(.)/g, '$1')
}

/** The path below which an expression means everything, as "^/old(/(.*))?$" does; null for others. Its groups are then "$rest" and "$1". */
export function stemOfExpression(source: string): string | null {
  if (source === '^(/(.*))$') return '/'
  const path = /^(\^.*)\(\/\(\.\*\)\)\?\$$/.exec(source)?.[1]
  return path === undefined ? null : pathOfExpression(`${path}$`, { ignoresCase: false, ignoresSlash: false })
}

/** An address that goes on with what was caught right behind its host. */
export const BEHIND_HOST = /^(https?:\/\/[^/?#$]+)\$(?:(\d)|\{(\d)\})/i

/**
 * Parts what is caught from the host that it stands behind: nobody who asks may choose a host. What begins with a slash, or is the end of
 * a path behind one of its parts, is caught without it.
 */
export function apartFromHost(from: string, to: string): Sayable<{ readonly from: string; readonly to: string }> {
  const [, host = '', bare, braced] = BEHIND_HOST.exec(to) ?? []
  const group = bare ?? braced
  if (group === undefined) return ok({ from, to })
  const last = /(\((\/)?\.[*+]\))\$?$/.exec(from)
  const before = last === null ? '' : from.slice(0, last.index)
  const groups = before.replace(/\\.|\[(?:[^\]\\]|\\.)*\]/g, '_').match(/\((?!\?)/g)?.length ?? 0
  const hasSlash = last?.[2] !== undefined
  if (last === null || groups + 1 !== Number(group) || (!hasSlash && /[/\\]$/.test(before)))
    return unsaid(tell('config.catches-named-host', { host }))
  const caught = (last[1] ?? '').replace('/', '')
  return ok({ from: `${before}${hasSlash ? `/${caught}` : `(?:/${caught})?`}$`, to: to.replace(BEHIND_HOST, `$1/$$${group}`) })
}
