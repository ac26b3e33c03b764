// AssemblyScript, compiled by `npm run kernel` into compiled.ts: the part of reading a page that looks at every byte of it.
// It keeps nothing between two calls and decides nothing: it passes over tags that are none of ours, and notes links.

/** Where what is noted stands in memory, and how much room there is. See `../scanner.ts`, which reads it. */
const REASON: i32 = 1024
const COUNT: i32 = 1028
/** What is noted of an address by itself. */
const ADDRESS: i32 = 1040
/** What is noted of links, one behind the other. */
const NOTES: i32 = 1088
const NOTE_BYTES: i32 = 64
const NOTES_MAX: i32 = 960
/** Where the page stands in memory; at least 16 bytes more can be read behind it. */
const PAGE: i32 = 65536

/** Places in a note, in bytes. Spans are offsets in the page; a start of -1 says that there is none. */
const START: usize = 0
const END: usize = 4
const IS_AREA: usize = 8
/** It has attributes that begin with "data-". */
const HAS_DATA: usize = 12
const HREF: usize = 16
const HREF_END: usize = 20
/** Past the value and its quote. */
const HREF_OUTER_END: usize = 24
const REL: usize = 28
const REL_END: usize = 32
const TARGET: usize = 36
const TARGET_END: usize = 40
/** What the destination looks like; KEY is the part of it that tells it from others of that form, HASH a hash of that part. */
const FORM: usize = 44
const KEY: usize = 48
const KEY_END: usize = 52
const HASH: usize = 56

/** Why reading stopped. */
const AT_END: i32 = 0
/** A tag that is not whole yet. */
const IN_TAG: i32 = 1
/** Markup that somebody else must read: a comment, raw text, SVG, `base`. */
const AT_MARKUP: i32 = 2
/** There is no more room for notes. */
const FULL: i32 = 3

/** Anything: it takes a parser to tell. */
const OTHER: i32 = 0
/** "http" or "https" and a host in lower case without a port, which is the key. */
const HOST: i32 = 1
/** A relative path in which a parser would change nothing but dots at its start, perhaps with a query; the key is its extension. */
const PATH: i32 = 2
/** A plain fragment. */
const SECTION: i32 = 3

const QUOTE: u8 = 0x22
const HASH_SIGN: u8 = 0x23
const AMPERSAND: u8 = 0x26
const APOSTROPHE: u8 = 0x27
const DASH: u8 = 0x2d
const DOT: u8 = 0x2e
const SLASH: u8 = 0x2f
const LESS: u8 = 0x3c
const EQUALS: u8 = 0x3d
const GREATER: u8 = 0x3e
const QUESTION: u8 = 0x3f
const UNDERSCORE: u8 = 0x5f
const TILDE: u8 = 0x7e

/** Words by their letters in lower case, the first one lowest. */
const LOWER: u64 = 0x2020202020202020
const NAME_A: u64 = 0x61
const NAME_AREA: u64 = 0x61657261
const NAME_HREF: u64 = 0x66657268
const NAME_REL: u64 = 0x6c6572
const NAME_TARGET: u64 = 0x746567726174
const DATA_DASH: u64 = 0x2d61746164
const HTTP: u32 = 0x70747468
const COLON_SLASHES: u32 = 0x2f2f3a
const UP: u32 = 0x2f2e2e
const AMP: u32 = 0x3b706d61

/** HTML's ASCII whitespace, and CR, which input preprocessing turns into LF. */
@inline
function isSpace(c: u8): bool {
  return c == 0x20 || c == 0x0a || c == 0x09 || c == 0x0d || c == 0x0c
}

@inline
function isLetter(c: u8): bool {
  return (c | 0x20) - 0x61 < 26
}

@inline
function isDigit(c: u8): bool {
  return c - 0x30 < 10
}

/** The first byte `c` from `from` on; `end` where there is none. */
@inline
function find(c: u8, from: i32, end: i32): i32 {
  const wanted = i8x16.splat(c)
  for (let i = from; i < end; i += 16) {
    const mask = i8x16.bitmask(i8x16.eq(v128.load(i), wanted))
    if (mask != 0) return min(i + ctz(mask), end)
  }
  return end
}

/** Which of the 16 bytes at a place may part a name from what follows it: those up to ">", the first one lowest. */
@inline
function lowBytes(at: i32): i32 {
  return i8x16.bitmask(i8x16.le_u(v128.load(at), i8x16.splat(GREATER)))
}

@inline
function partsNames(c: u8): bool {
  return c == GREATER || c == SLASH || isSpace(c)
}

/** Past a tag's name, of which the first letter stands before `from`. */
@inline
function endOfName(from: i32, end: i32): i32 {
  for (let i = from; i < end; i += 16) {
    for (let mask = lowBytes(i); mask != 0; mask &= mask - 1) {
      const at = i + ctz(mask)
      if (partsNames(load<u8>(at))) return min(at, end)
    }
  }
  return end
}

/** Where the name of an attribute of usual length ends, which begins at `from`; `from` where none does within 16 bytes. */
@inline
function endOfUsualName(from: i32): i32 {
  for (let mask = lowBytes(from); mask != 0; mask &= mask - 1) {
    const at = from + ctz(mask)
    const c = load<u8>(at)
    if (c == EQUALS || partsNames(c)) return at
  }
  return from
}

/** Up to eight letters of a name in lower case, the first one lowest. */
@inline
function lettersOf(from: i32, length: i32): u64 {
  return (load<u64>(from) | LOWER) & (~(<u64>0) >> (64 - 8 * min(length, 8)))
}

/**
 * Start tags that change how the page is read on, `base` among them; also, of no harm, longer names that begin like one.
 * The two first letters tell nearly always that it is none: no more has to be compared, and nothing guessed.
 */
@inline
function changesReading(name: u64): bool {
  const second: u32 = 1 << (<u32>(name >> 8) & 31)
  if ((load<u32>(FIRST_LETTERS + ((<u32>name & 31) << 2)) & second) == 0) return false
  return (
    name == 0x65736162 || // base
    name == 0x656d61726669 || // iframe
    name == 0x6874616d || // math
    name == 0x6465626d656f6e || // noembed
    name == 0x73656d6172666f6e || // noframes
    name == 0x7470697263736f6e || // noscript
    name == 0x7865746e69616c70 || // plaintext
    name == 0x747069726373 || // script
    name == 0x656c797473 || // style
    name == 0x677673 || // svg
    name == 0x6574616c706d6574 || // template
    name == 0x6165726174786574 || // textarea
    name == 0x656c746974 || // title
    name == 0x706d78 // xmp
  )
}
/** For each first letter the second ones of those names, a bit each by the letter's place in the alphabet. */
const FIRST_LETTERS: usize = memory.data<u32>([
  0, 0, 1 << 1, 0, 0, 0, 0, 0, 0, 1 << 6, 0, 0, 0, 1 << 1, 1 << 15, 0, 1 << 12, 0, 0, (1 << 3) | (1 << 20) | (1 << 22), (1 << 5) | (1 << 9),
  0, 0, 0, 1 << 13, 0, 0, 0, 0, 0, 0, 0,
])

@inline
function stop(reason: i32, count: i32, at: i32): i32 {
  store<i32>(REASON, reason)
  store<i32>(COUNT, count)
  return at - PAGE
}

/**
 * Reads on from tag to tag in HTML's own content.
 * @param from - offset in the page; `length` is where what there is of it ends
 * @returns how far everything was read or noted; why no further stands at REASON, the number of links noted at COUNT
 */
export function scan(from: i32, length: i32): i32 {
  const end = PAGE + length
  let count = 0
  let i = PAGE + from
  while (true) {
    const lt = find(LESS, i, end)
    if (lt == end) return stop(AT_END, count, end)
    let name = lt + 1
    const isEnd = load<u8>(name) == SLASH && name < end
    if (isEnd) name++
    if (name >= end) return stop(IN_TAG, count, lt)
    if (!isLetter(load<u8>(name))) return stop(AT_MARKUP, count, lt)
    const nameEnd = endOfName(name + 1, end)
    const letters = lettersOf(name, nameEnd - name)
    const isLink = !isEnd && (letters == NAME_A || letters == NAME_AREA) && nameEnd - name <= 4
    if (!isEnd && changesReading(letters)) return stop(AT_MARKUP, count, lt)
    const note = isLink ? NOTES + count * NOTE_BYTES : 0
    i = attributes(nameEnd, end, note)
    if (i == 0) return stop(IN_TAG, count, lt)
    if (!isLink) continue
    store<i32>(note, lt - PAGE, START)
    store<i32>(note, i - PAGE, END)
    store<i32>(note, letters == NAME_A ? 0 : 1, IS_AREA)
    noteForm(note)
    if (++count == NOTES_MAX) return stop(FULL, count, i)
  }
}

/**
 * The states from "before attribute name" on of the HTML standard; what `readTag` of `../attributes.ts` is for text.
 * @param note - where to write down what the attributes say of a link; 0 to only look for the end of the tag
 * @returns past ">"; 0 when it is not there
 */
function attributes(from: i32, end: i32, note: i32): i32 {
  if (note != 0) {
    store<i32>(note, 0, HAS_DATA)
    store<i32>(note, -1, HREF)
    store<i32>(note, -1, REL)
    store<i32>(note, -1, TARGET)
  }
  // As nearly all are written: one space, a name, "=", and a value in quotes.
  let i = from
  while (i < end) {
    const c = load<u8>(i)
    if (c == GREATER) return i + 1
    if (!isSpace(c)) break
    const equals = endOfUsualName(i + 1)
    if (equals == i + 1 || equals + 1 >= end || load<u8>(equals) != EQUALS) break
    const quote = load<u8>(equals + 1)
    if (quote != QUOTE && quote != APOSTROPHE) break
    const close = find(quote, equals + 2, end)
    if (close == end) return 0
    if (note != 0) noteAttribute(note, i + 1, equals - i - 1, equals + 2, close, close + 1)
    i = close + 1
  }
  return otherAttributes(i, end, note)
}

/** The rest of a tag, whatever it looks like. */
function otherAttributes(from: i32, end: i32, note: i32): i32 {
  let i = from
  while (true) {
    for (; i < end; i++) {
      const c = load<u8>(i)
      if (c != SLASH && !isSpace(c)) break
    }
    if (i >= end) return 0
    if (load<u8>(i) == GREATER) return i + 1
    const name = i
    // A "=" in first place belongs to the name (unexpected-equals-sign-before-attribute-name).
    for (i++; i < end; i++) {
      const c = load<u8>(i)
      if (c == EQUALS || partsNames(c)) break
    }
    const nameEnd = i
    let valueStart = i
    let valueEnd = i
    let j = i
    while (j < end && isSpace(load<u8>(j))) j++
    if (j < end && load<u8>(j) == EQUALS) {
      j++
      while (j < end && isSpace(load<u8>(j))) j++
      if (j >= end) return 0
      const quote = load<u8>(j)
      valueStart = j
      if (quote == QUOTE || quote == APOSTROPHE) {
        valueStart++
        valueEnd = find(quote, valueStart, end)
        if (valueEnd == end) return 0
        i = valueEnd + 1
      } else {
        for (; j < end; j++) {
          const c = load<u8>(j)
          if (c == GREATER || isSpace(c)) break
        }
        if (j >= end) return 0
        valueEnd = j
        i = j
      }
    }
    if (note != 0) noteAttribute(note, name, nameEnd - name, valueStart, valueEnd, i)
  }
}

/** Of two attributes of one name the first counts (HTML: duplicate-attribute). */
@inline
function noteAttribute(note: i32, name: i32, length: i32, valueStart: i32, valueEnd: i32, outerEnd: i32): void {
  const letters = lettersOf(name, length)
  if (length == 4 && letters == NAME_HREF) {
    if (load<i32>(note, HREF) != -1) return
    store<i32>(note, valueStart - PAGE, HREF)
    store<i32>(note, valueEnd - PAGE, HREF_END)
    store<i32>(note, outerEnd - PAGE, HREF_OUTER_END)
  } else if (length == 3 && letters == NAME_REL) {
    if (load<i32>(note, REL) != -1) return
    store<i32>(note, valueStart - PAGE, REL)
    store<i32>(note, valueEnd - PAGE, REL_END)
  } else if (length == 6 && letters == NAME_TARGET) {
    if (load<i32>(note, TARGET) != -1) return
    store<i32>(note, valueStart - PAGE, TARGET)
    store<i32>(note, valueEnd - PAGE, TARGET_END)
  } else if ((letters & 0xffffffffff) == DATA_DASH) store<i32>(note, 1, HAS_DATA)
}

@inline
function putForm(note: i32, form: i32, key: i32, keyEnd: i32, hash: u32): void {
  store<i32>(note, form, FORM)
  store<i32>(note, key - PAGE, KEY)
  store<i32>(note, keyEnd - PAGE, KEY_END)
  store<u32>(note, hash, HASH)
}

/** Tells what a link's destination looks like. */
function noteForm(note: i32): void {
  const start = load<i32>(note, HREF)
  if (start == -1) return putForm(note, OTHER, PAGE, PAGE, 0)
  const from = PAGE + start
  const end = PAGE + load<i32>(note, HREF_END)
  if (end - from > 7 && load<u32>(from) == HTTP) {
    const host = from + (load<u8>(from + 4) == 0x73 ? 8 : 7)
    if ((load<u32>(host - 3) & 0xffffff) == COLON_SLASHES) return noteHost(note, host, end)
  }
  notePath(note, from, end)
}

function noteHost(note: i32, host: i32, end: i32): void {
  let i = host
  let hash: u32 = 0x811c9dc5
  for (; i < end; i++) {
    const c = load<u8>(i)
    if (c == SLASH || c == QUESTION || c == HASH_SIGN) break
    if (!(c - 0x61 < 26 || isDigit(c) || c == DOT || c == DASH)) return putForm(note, OTHER, host, host, 0)
    hash = (hash ^ c) * 0x01000193 // FNV-1a
  }
  putForm(note, i <= host ? OTHER : HOST, host, i, hash)
}

@inline
function isPlain(c: u8): bool {
  return isLetter(c) || isDigit(c) || c == DASH || c == UNDERSCORE || c == TILDE
}

function notePath(note: i32, from: i32, end: i32): void {
  let i = from
  if (i < end && load<u8>(i) == HASH_SIGN) {
    for (i++; i < end && isPlain(load<u8>(i)); ) i++
    return putForm(note, i == end && end - from > 1 ? SECTION : OTHER, end, end, 0)
  }
  while (end - i >= 3 && (load<u32>(i) & 0xffffff) == UP) i += 3
  const first = i
  let dot = 0
  let before = SLASH
  for (; i < end; i++) {
    const c = load<u8>(i)
    if (c == SLASH) {
      if (i == first + 1 && before == SLASH) return putForm(note, OTHER, from, from, 0) // "//": a host follows
      dot = 0
    } else if (c == DOT) {
      if (before == SLASH) return putForm(note, OTHER, from, from, 0) // a dot segment, or a name that begins with a dot
      dot = i
    } else if (!isPlain(c)) break
    before = c
  }
  if (i == first || (i < end && (load<u8>(i) != QUESTION || !isPlainQuery(i, end)))) return putForm(note, OTHER, from, from, 0)
  putForm(note, PATH, dot == 0 ? i : dot, i, 0)
}

/** A fragment may begin with its sign, or with a reference to it. */
function isPlainQuery(from: i32, end: i32): bool {
  for (let i = from; i < end; i++) {
    const c = load<u8>(i)
    if (c == HASH_SIGN || (c == AMPERSAND && (end - i < 5 || load<u32>(i + 1) != AMP))) return false
  }
  return true
}

/** Tells what a path looks like that stands between two offsets of the page; the answer stands at ADDRESS. */
export function look(from: i32, to: i32): void {
  notePath(ADDRESS, PAGE + from, PAGE + to)
}
