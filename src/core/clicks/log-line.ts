import type { Device, Visit } from './visit.ts'

/**
 * What was answered, as one line of a node's log: fields parted by tabs, in the text format of PostgreSQL's COPY ("\N" says nothing). A click
 * begins with its time and is stored as it stands; lines of other kinds begin with the name of their kind.
 */
export interface ClickLine {
  /** Full, in UTC: "2026-11-24T07:05:01.123Z". */
  readonly at: string
  readonly shortLinkId: string
  readonly visit: Visit
  /** Sixteen hexadecimal digits, others on another day. */
  readonly visitor: string
  readonly device: Device
  readonly language: string | null
  /** Host that led here. */
  readonly referrer: string | null
  /** Which destination of a split answered; null where no split decided. */
  readonly variant: number | null
}

/** By what clicks of people are counted apart. One more is: its name here, what it is of a line, and its words on the screen. */
export const SOURCES = ['referrer', 'device', 'language'] as const
export type Source = (typeof SOURCES)[number]

/** What a click says of each; "" where nothing was said. */
export const SOURCE_OF: Readonly<Record<Source, (click: Pick<ClickLine, 'device' | 'language' | 'referrer'>) => string>> = {
  referrer: ({ referrer }) => referrer ?? '',
  device: ({ device }) => device,
  language: ({ language }) => language ?? '',
}

/** Columns of a click, in the order in which they stand in its line. */
export const CLICK_COLUMNS = ['at', 'short_link_id', 'visit', 'visitor', 'device', 'language', 'referrer', 'variant'] as const

const NOTHING = '\\N'

export function writeClick({ at, shortLinkId, visit, visitor, device, language, referrer, variant }: ClickLine): string {
  // A backslash begins an escape in this format, and no host has one.
  const from = referrer === null || referrer.includes('\\') ? NOTHING : referrer
  return `${at}\t${shortLinkId}\t${visit}\t${visitor}\t${device}\t${language ?? NOTHING}\t${from}\t${variant ?? NOTHING}`
}

/** When a whole line of the log came; half a line (a crash, a full disk) was never answered, or is there once more. */
const AT = /^\d{4}-\d\d-\d\dT\d\d:\d\d:\d\d\.\d{3}Z$/
const AT_CHARS = 24
const ID = /^[0-9a-f-]{36}$/
const ID_CHARS = 36
const VISITOR = /^[0-9a-f]{16}$/
const VISITOR_CHARS = 16
const LOGGED: ReadonlySet<string> = new Set<Visit>(['person', 'bot', 'prefetch', 'head'])
/** What stands behind the visitor; logs of an earlier version say nothing of splits. */
const TAIL = /^([a-z]+)\t([a-z]+|\\N)\t([^\t\\]+|\\N)(?:\t(\d{1,3}|\\N))?$/
/** A control (Unicode's Cc): no text of the database holds one but the tab, and no line that was answered does. */
const CONTROL = /[^\P{Cc}\t]/u

/** The beginning of a click, and its tail as it stands: what came from the same place by the same device has the same one. */
export interface ClickStart extends Pick<ClickLine, 'at' | 'shortLinkId' | 'visit' | 'visitor'> {
  readonly tail: string
}

/**
 * Reads what is a click's own of its line.
 * @param isKnownId - told of an id that it is one, it is not looked at again
 * @returns null for what begins as no click
 */
export function readClickStart(line: string, isKnownId: (id: string) => boolean = () => false): ClickStart | null {
  const visitAt = AT_CHARS + ID_CHARS + 2
  const visitEnd = line.indexOf('\t', visitAt)
  const tailAt = visitEnd + VISITOR_CHARS + 2
  if (visitEnd === -1 || line[AT_CHARS] !== '\t' || line[visitAt - 1] !== '\t' || line[tailAt - 1] !== '\t') return null
  const at = line.slice(0, AT_CHARS)
  const shortLinkId = line.slice(AT_CHARS + 1, visitAt - 1)
  const visit = line.slice(visitAt, visitEnd)
  const visitor = line.slice(visitEnd + 1, tailAt - 1)
  if (!AT.test(at) || !(isKnownId(shortLinkId) || ID.test(shortLinkId)) || !LOGGED.has(visit) || !VISITOR.test(visitor)) return null
  return { at, shortLinkId, visit: visit as Visit, visitor, tail: line.slice(tailAt) }
}

/** What a tail says. @returns null for one that is none; `hasVariant`: it says of a split, or that there was none */
export function readClickTail(
  tail: string,
): (Pick<ClickLine, 'device' | 'language' | 'referrer' | 'variant'> & { readonly hasVariant: boolean }) | null {
  const [, device = '', language = '', referrer = '', variant] = CONTROL.test(tail) ? [] : (TAIL.exec(tail) ?? [])
  if (device === '') return null
  const said = (text: string): string | null => (text === NOTHING ? null : text)
  return {
    device: device as Device,
    language: said(language),
    referrer: said(referrer),
    variant: variant === undefined || variant === NOTHING ? null : Number(variant),
    hasVariant: variant !== undefined,
  }
}

/** A line of an earlier version as it is stored: no split decided. */
export const withoutVariant = (line: string): string => `${line}\t${NOTHING}`

/** An address that nobody answered. */
export interface MissedLine {
  readonly at: string
  readonly siteId: string
  readonly host: string
  readonly path: string
  readonly visit: Visit
  /** "" where none was said. */
  readonly referrer: string
  /** "" in logs of an earlier version. */
  readonly visitor: string
}

export const writeMissed = ({ at, siteId, host, path, visit, referrer, visitor }: MissedLine): string =>
  ['missed', at, siteId, host, path, visit, referrer, visitor].join('\t')

const MISSED =
  /^missed\t(\d{4}-\d\d-\d\dT[\d:.]+Z)\t([0-9a-f-]{36})\t([^\t]+)\t([^\t]+)\t(person|bot|prefetch|head)\t([^\t]*)(?:\t([0-9a-f]{16}))?$/

/** @returns null for a line that is none */
export function readMissed(line: string): MissedLine | null {
  if (!line.startsWith('missed\t') || CONTROL.test(line)) return null
  const [, at = '', siteId = '', host = '', path = '', visit = '', referrer = '', visitor = ''] = MISSED.exec(line) ?? []
  return at === '' ? null : { at, siteId, host, path, visit: visit as Visit, referrer, visitor }
}

/** A page that was looked at, or a link on it that was followed. */
export interface SeenLine {
  readonly at: string
  readonly siteId: string
  readonly host: string
  readonly kind: 'view' | 'link'
  readonly path: string
  /** Where the link leads; "" of a view. */
  readonly address: string
  /** Which of the links there that lead to it. */
  readonly nth: number
  readonly visit: Visit
  readonly visitor: string
}

export const writeSeen = ({ at, siteId, host, kind, path, address, nth, visit, visitor }: SeenLine): string =>
  ['seen', at, siteId, host, kind, path, address, nth, visit, visitor].join('\t')

const SEEN =
  /^seen\t(\d{4}-\d\d-\d\dT\d\d:[\d:.]+Z)\t([0-9a-f-]{36})\t([^\t]+)\t(view|link)\t([^\t]+)\t([^\t]*)\t(\d{1,2})\t(person|bot|prefetch|head)\t([0-9a-f]{16})$/

/** @returns null for a line that is none */
export function readSeen(line: string): SeenLine | null {
  if (!line.startsWith('seen\t') || CONTROL.test(line)) return null
  const [, at = '', siteId = '', host = '', kind = '', path = '', address = '', nth = '', visit = '', visitor = ''] = SEEN.exec(line) ?? []
  if (at === '') return null
  return { at, siteId, host, kind: kind === 'view' ? 'view' : 'link', path, address, nth: Number(nth), visit: visit as Visit, visitor }
}

/** Of "2026-11-24T07:05:01.123Z": its day. */
export const dayOf = (at: string): string => at.slice(0, 10)
/** The same to the hour: "2026-11-24T07". */
export const hourOf = (at: string): string => at.slice(0, 13)
