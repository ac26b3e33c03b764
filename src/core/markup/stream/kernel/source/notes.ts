// What is noted of a link: its attributes, and what its destination looks like to somebody who does not parse it.
import { AMPERSAND, DASH, DOT, HASH_SIGN, isDigit, isLetter, isLowerLetter, lettersOf, QUESTION, SLASH, TILDE, UNDERSCORE } from './bytes'
import {
  FORM,
  HAS_DATA,
  HREF,
  HREF_END,
  HREF_OUTER_END,
  KEY,
  KEY_NUMBER,
  PAGE,
  REL,
  REL_END,
  REL_NUMBER,
  TARGET,
  TARGET_END,
  TARGET_NUMBER,
} from './memory'
import { numberOf } from './numbers'

/** Anything: it takes a parser to tell. */
const OTHER: i32 = 0
/** "http" or "https" and a host in lower case without a port, which is the key. */
const HOST: i32 = 1
/** A relative path in which a parser would change nothing but dots at its start, perhaps with a query; the key is its extension. */
const PATH: i32 = 2
/** A plain fragment. */
const SECTION: i32 = 3

const HREF_NAME: u64 = 0x66657268
const REL_NAME: u64 = 0x6c6572
const TARGET_NAME: u64 = 0x746567726174
const DATA_DASH: u64 = 0x2d61746164
const HTTP: u32 = 0x70747468
const COLON_SLASHES: u32 = 0x2f2f3a
const UP: u32 = 0x2f2e2e
const AMP: u32 = 0x3b706d61

export function clearNote(note: usize): void {
  store<i32>(note, 0, HAS_DATA)
  store<i32>(note, -1, HREF)
  store<i32>(note, -1, REL)
  store<i32>(note, -1, TARGET)
  store<i32>(note, 0, REL_NUMBER)
  store<i32>(note, 0, TARGET_NUMBER)
}

/** Of two attributes of one name the first counts (HTML: duplicate-attribute). */
export function noteAttribute(note: usize, name: usize, length: i32, valueStart: usize, valueEnd: usize, outerEnd: usize): void {
  const letters = lettersOf(name, length)
  if (length == 4 && letters == HREF_NAME) {
    if (load<i32>(note, HREF) != -1) return
    store<u32>(note, <u32>(valueStart - PAGE), HREF)
    store<u32>(note, <u32>(valueEnd - PAGE), HREF_END)
    store<u32>(note, <u32>(outerEnd - PAGE), HREF_OUTER_END)
  } else if (length == 3 && letters == REL_NAME) {
    if (load<i32>(note, REL) != -1) return
    store<u32>(note, <u32>(valueStart - PAGE), REL)
    store<u32>(note, <u32>(valueEnd - PAGE), REL_END)
    store<i32>(note, numberOf(valueStart, <i32>(valueEnd - valueStart)), REL_NUMBER)
  } else if (length == 6 && letters == TARGET_NAME) {
    if (load<i32>(note, TARGET) != -1) return
    store<u32>(note, <u32>(valueStart - PAGE), TARGET)
    store<u32>(note, <u32>(valueEnd - PAGE), TARGET_END)
    store<i32>(note, numberOf(valueStart, <i32>(valueEnd - valueStart)), TARGET_NUMBER)
  } else if ((letters & 0xffffffffff) == DATA_DASH) store<i32>(note, 1, HAS_DATA)
}

/** @param key - and `keyEnd`: the part that gets a number; none where they are equal */
function putForm(note: usize, form: i32, key: usize, keyEnd: usize): void {
  store<i32>(note, form, FORM)
  store<u32>(note, <u32>(key - PAGE), KEY)
  store<i32>(note, key == keyEnd ? 0 : numberOf(key, <i32>(keyEnd - key)), KEY_NUMBER)
}

/** Tells what a link's destination looks like. */
export function noteForm(note: usize): void {
  const start = load<i32>(note, HREF)
  if (start == -1) return putForm(note, OTHER, PAGE, PAGE)
  const from = PAGE + start
  const end = PAGE + load<u32>(note, HREF_END)
  if (end - from > 7 && load<u32>(from) == HTTP) {
    const host = from + (load<u8>(from + 4) == 0x73 ? 8 : 7)
    if ((load<u32>(host - 3) & 0xffffff) == COLON_SLASHES) return noteHost(note, host, end)
  }
  notePath(note, from, end)
}

function noteHost(note: usize, host: usize, end: usize): void {
  let i = host
  for (; i < end; i++) {
    const c = load<u8>(i)
    if (c == SLASH || c == QUESTION || c == HASH_SIGN) break
    if (!isLowerLetter(c) && !isDigit(c) && c != DOT && c != DASH) return putForm(note, OTHER, PAGE, PAGE)
  }
  putForm(note, i <= host ? OTHER : HOST, host, i)
}

function isPlain(c: u8): bool {
  return isLetter(c) || isDigit(c) || c == DASH || c == UNDERSCORE || c == TILDE
}

/** Tells what a path looks like. */
export function notePath(note: usize, from: usize, end: usize): void {
  let i = from
  if (i < end && load<u8>(i) == HASH_SIGN) {
    for (i++; i < end && isPlain(load<u8>(i)); ) i++
    return putForm(note, i == end && end - from > 1 ? SECTION : OTHER, PAGE, PAGE)
  }
  while (end - i >= 3 && (load<u32>(i) & 0xffffff) == UP) i += 3
  const first = i
  let dot: usize = 0
  let before = SLASH
  for (; i < end; i++) {
    const c = load<u8>(i)
    if (c == SLASH) {
      if (i == first + 1 && before == SLASH) return putForm(note, OTHER, PAGE, PAGE) // "//": a host follows
      dot = 0
    } else if (c == DOT) {
      if (before == SLASH) return putForm(note, OTHER, PAGE, PAGE) // a dot segment, or a name that begins with a dot
      dot = i
    } else if (!isPlain(c)) break
    before = c
  }
  if (i == first || (i < end && (load<u8>(i) != QUESTION || !isPlainQuery(i, end)))) return putForm(note, OTHER, PAGE, PAGE)
  putForm(note, PATH, dot == 0 ? i : dot, i)
}

/** A fragment may begin with its sign, or with a reference to it. */
function isPlainQuery(from: usize, end: usize): bool {
  for (let i = from; i < end; i++) {
    const c = load<u8>(i)
    if (c == HASH_SIGN || (c == AMPERSAND && (end - i < 5 || load<u32>(i + 1) != AMP))) return false
  }
  return true
}
