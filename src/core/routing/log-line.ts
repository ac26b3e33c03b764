import { type Told, tell } from '../../words/index.ts'
/** A line of an access log in Common or Combined Log Format. */
export interface LogLine {
  readonly remote: string
  readonly method: string
  /** As asked for: a path with its query, or a whole address. */
  readonly target: string
  readonly agent: string
  /** Time as the log has it: "26/Nov/2026:10:00:00 +0000". */
  readonly time: string
}

/** Longest line that is looked at. */
const LINE_MAX_CHARS = 20_000

/** Where the parts of a line stand. One is used for all lines of a log: there may be ten millions. */
export class Places {
  blank = 0
  timeFrom = 0
  timeTo = 0
  methodFrom = 0
  methodTo = 0
  targetTo = 0
  agentFrom = 0
  agentTo = 0

  /** @returns whether the line is one of a log */
  find(line: string): boolean {
    if (line.length > LINE_MAX_CHARS) return false
    const blank = line.indexOf(' ')
    const open = line.indexOf('[', blank)
    const close = line.indexOf('] "', open)
    if (blank <= 0 || open === -1 || close === -1) return false
    const start = close + 3
    const method = line.indexOf(' ', start)
    if (method === -1 || method - start > 20) return false
    let end = line.indexOf('"', start)
    while (end !== -1 && line.charCodeAt(end - 1) === 0x5c) end = line.indexOf('"', end + 1)
    if (end === -1 || method > end) return false
    const last = line.lastIndexOf(' ', end)
    const status = line.charCodeAt(end + 2)
    this.targetTo = last > method && line.startsWith('HTTP/', last + 1) ? last : end
    if (this.targetTo === method + 1 || status < 0x31 || status > 0x35) return false
    const quote = line.lastIndexOf('"')
    const before = quote > end ? line.lastIndexOf('"', quote - 1) : -1
    this.blank = blank
    this.timeFrom = open + 1
    this.timeTo = close
    this.methodFrom = start
    this.methodTo = method
    this.agentFrom = before > end ? before + 1 : 0
    this.agentTo = before > end ? quote : 0
    return true
  }
}

/**
 * Reads a line of an access log (Common Log Format of the NCSA, or Combined, which adds referrer and user agent).
 * @returns null for one that is none. Never throws.
 */
export function readLogLine(line: string): LogLine | null {
  const at = new Places()
  if (!at.find(line)) return null
  return {
    remote: line.slice(0, at.blank),
    method: line.slice(at.methodFrom, at.methodTo),
    target: unescapedTarget(line.slice(at.methodTo + 1, at.targetTo)),
    agent: line.slice(at.agentFrom, at.agentTo),
    time: line.slice(at.timeFrom, at.timeTo),
  }
}

const MONTHS = 'JanFebMarAprMayJunJulAugSepOctNovDec'

/** UTC in milliseconds; null where it cannot be read. */
export function logTimeMs(time: string): number | null {
  const found = /^(\d\d)\/([A-Z][a-z]{2})\/(\d{4}):(\d\d):(\d\d):(\d\d) ([+-])(\d\d)(\d\d)$/.exec(time)
  const month = found === null ? -1 : MONTHS.indexOf(found[2] ?? '') / 3
  if (found === null || month < 0) return null
  const [, day, , year, hour, minute, second, sign, hours, minutes] = found
  const offset = (Number(hours) * 60 + Number(minutes)) * (sign === '-' ? -1 : 1)
  return Date.UTC(Number(year), month, Number(day), Number(hour), Number(minute) - offset, Number(second))
}

/**
 * What was asked for, of a log that escapes what is not plain: a byte as in "\xc3", a quote or backslash by a backslash before it, a
 * control by its letter (Apache httpd, nginx). Bytes become percent-encoded, as they are in addresses.
 */
export function unescapedTarget(target: string): string {
  if (!target.includes('\\')) return target
  return target.replace(
    /\\(?:x([0-9A-Fa-f]{2})|(["\\])|([nrtbvf]))/g,
    (_, byte: string | undefined, sign: string | undefined, control: string | undefined) => {
      if (sign !== undefined) return sign
      const code = byte !== undefined ? Number.parseInt(byte, 16) : 'btnvfr'.indexOf(control ?? '') + 8
      return code > 0x20 && code < 0x7f ? String.fromCharCode(code) : `%${code.toString(16).toUpperCase().padStart(2, '0')}`
    },
  )
}

/** Formats that people take for an access log, with what a line of each looks like. */
const OTHER_FORMATS: readonly (readonly [Told, RegExp])[] = [
  [tell('log.error-httpd'), /^\[[A-Z][a-z]{2} [A-Z][a-z]{2} \d\d [\d:.]+ \d{4}\] \[/],
  [tell('log.error-nginx'), /^\d{4}\/\d\d\/\d\d [\d:]{8} \[[a-z]+\] /],
  [tell('log.w3c'), /^#(?:Version|Fields|Software|Date): /],
  [tell('log.json'), /^\s*[{[]/],
  [tell('log.xml'), /^\s*<(?:\?xml|urlset|sitemapindex|!doctype|html)/i],
  [tell('log.system'), /^(?:[A-Z][a-z]{2} [ \d]\d [\d:]{8} \S+ [\w./-]+(?:\[\d+\])?: |<\d+>)/],
  [tell('log.addresses'), /^(?:https?:\/\/|\/)\S*$/],
]

/** What a line that is none of an access log looks like; null where that cannot be told. */
export const otherFormatOf = (line: string): Told | null => OTHER_FORMATS.find(([, looks]) => looks.test(line.slice(0, 500)))?.[0] ?? null
