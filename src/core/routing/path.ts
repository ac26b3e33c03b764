import type { Tolerance } from './redirect.ts'

/** Of these a path is in its plain form already, unless it has dots between slashes. */
const PLAIN = /^\/(?:[A-Za-z0-9\-_~!$&'()*+,;=:@/]|(?<!\/)\.)*$/
const ESCAPES = /(?:%[0-9A-Fa-f]{2})+/g
/** Read as themselves they would end a path, divide it, or begin an escape; controls would be seen by nobody. */
const KEPT = /[/\\%?#\p{Cc}\p{Cf}\p{Zl}\p{Zp}]/u

/** Whether a path is written in its plain form, and in the only one: as an address it is the same (WHATWG URL). */
export const isPlain = (path: string): boolean => PLAIN.test(path)

/**
 * A path as people read it: escapes decoded where they are UTF-8 and mean no delimiter, the others in upper case; dot
 * segments gone (WHATWG URL). Two spellings of one path give the same. Applying it twice changes nothing. Never throws.
 * @param path - as sent, or as a person wrote it; without query
 * @returns begins with "/"
 */
export function plainPath(path: string): string {
  if (PLAIN.test(path)) return path
  const rooted = path.startsWith('/') ? path : `/${path}`
  return withoutDots(rooted.replace(ESCAPES, decodeRun))
}

/** Decodes a run of escapes, a character at a time; what is not UTF-8 stays as it is. */
function decodeRun(run: string): string {
  let out = ''
  for (let i = 0; i < run.length; ) {
    const length = sequenceLength(Number.parseInt(run.slice(i + 1, i + 3), 16))
    const escapes = run.slice(i, i + 3 * length)
    const read = length === 0 ? null : decoded(escapes)
    if (read !== null && !KEPT.test(read)) {
      out += read
      i += escapes.length
    } else {
      // A whole delimiter of several bytes stays together; a byte that is no UTF-8 goes by itself.
      const kept = read === null ? run.slice(i, i + 3) : escapes
      out += kept.toUpperCase()
      i += kept.length
    }
  }
  return out
}

/** Bytes of the UTF-8 sequence that begins so; 0 where none does. */
const sequenceLength = (first: number): number =>
  first < 0x80 ? 1 : first < 0xc2 ? 0 : first < 0xe0 ? 2 : first < 0xf0 ? 3 : first < 0xf5 ? 4 : 0

function decoded(escapes: string): string | null {
  try {
    return decodeURIComponent(escapes)
  } catch {
    return null
  }
}

/** Resolves "." and ".." as browsers do (WHATWG URL, "path state"). */
function withoutDots(path: string): string {
  if (!/\/\.\.?(?:\/|$)/.test(path)) return path
  const out: string[] = []
  const segments = path.split('/').slice(1)
  for (const [i, segment] of segments.entries()) {
    const isLast = i === segments.length - 1
    if (segment === '..') out.pop()
    else if (segment !== '.') out.push(segment)
    if (isLast && (segment === '.' || segment === '..')) out.push('')
  }
  return `/${out.join('/')}`
}

/** A path without slashes at its end; "/" stays. Looked at from its end: a search for the run would begin anew at every slash. */
export function withoutEndSlashes(path: string): string {
  let end = path.length
  while (end > 1 && path[end - 1] === '/') end--
  return path.slice(0, end)
}

/** What a path is looked up by: the same for all spellings that the site takes for one. @param plain - see {@link plainPath} */
export function pathKey(plain: string, { ignoresCase, ignoresSlash }: Tolerance): string {
  const bare = ignoresSlash ? withoutEndSlashes(plain) : plain
  return ignoresCase ? bare.toLowerCase() : bare
}

/** Most segments of a path that rows of "everything under" can have, inclusive: so many look-ups a request costs at most. */
export const UNDER_SEGMENTS_MAX = 32

/** The paths that a path stands under by whole segments, itself first, "/" last. @param key - see {@link pathKey} */
export function stemsOf(key: string): readonly string[] {
  const stems: string[] = []
  let end = key.length
  // Of a path that is deeper than any row only the first segments are looked at.
  for (let at = key.indexOf('/', 1), n = 1; at !== -1; at = key.indexOf('/', at + 1), n++) {
    if (n < UNDER_SEGMENTS_MAX) continue
    end = at
    break
  }
  for (; end > 1; end = key.lastIndexOf('/', end - 1)) stems.push(key.slice(0, end))
  stems.push('/')
  return stems
}

/** Percent-encodes text as UTF-8; half a character, which has no encoding, as the sign that stands for one (WHATWG Encoding). */
export const encodeText = (text: string): string => encodeURIComponent(text.replace(/\p{Cs}/gu, '\ufffd'))

/** A plain path, or a part of one, as it is written into an address: percent-encoded where it has to be (WHATWG URL, path percent-encode set). */
export const encodedPath = (plain: string): string => plain.replace(/[^A-Za-z0-9\-._~!$&'()*+,;=:@/%]+/gu, (run) => encodeText(run))
