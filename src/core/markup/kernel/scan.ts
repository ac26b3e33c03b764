// AssemblyScript, compiled by `npm run kernel` into compiled.ts: the part of reading a page that looks at every byte of it.
// It keeps nothing between two calls and decides nothing: it passes over tags that are none of ours, and notes links.

/** Where what is noted of links stands in memory, and how much room there is. See `../scanner.ts`, which reads it. */
const REASON: i32 = 1024
const COUNT: i32 = 1028
const NOTES: i32 = 1040
const NOTE_BYTES: i32 = 48
const NOTES_MAX: i32 = 1024
/** Where the page stands in memory; at least 16 bytes more can be read behind it. */
const PAGE: i32 = 65536

/** Why reading stopped. */
const AT_END: i32 = 0
/** A tag that is not whole yet. */
const IN_TAG: i32 = 1
/** Markup that somebody else must read: a comment, raw text, SVG, `base`. */
const AT_MARKUP: i32 = 2
/** There is no more room for notes. */
const FULL: i32 = 3

const QUOTE: u8 = 0x22
const APOSTROPHE: u8 = 0x27
const SLASH: u8 = 0x2f
const LESS: u8 = 0x3c
const EQUALS: u8 = 0x3d
const GREATER: u8 = 0x3e

const LOWER: u64 = 0x2020202020202020
/** Names by their letters in lower case, the first one lowest. */
const A: u64 = 0x61
const AREA: u64 = 0x61657261
const HREF: u64 = 0x66657268
const REL: u64 = 0x6c6572
const TARGET: u64 = 0x746567726174
const DATA: u64 = 0x2d61746164

/** HTML's ASCII whitespace, and CR, which input preprocessing turns into LF. */
// @ts-expect-error: decorator
@inline
function isSpace(c: u8): bool {
  return c == 0x20 || c == 0x0a || c == 0x09 || c == 0x0d || c == 0x0c
}

// @ts-expect-error: decorator
@inline
function isLetter(c: u8): bool {
  return (c | 0x20) - 0x61 < 26
}

/** The first byte `c` from `from` on; `end` where there is none. */
// @ts-expect-error: decorator
@inline
function find(c: u8, from: i32, end: i32): i32 {
  const wanted = i8x16.splat(c)
  for (let i = from; i < end; i += 16) {
    const mask = i8x16.bitmask(i8x16.eq(v128.load(i), wanted))
    if (mask != 0) return min(i + ctz(mask), end)
  }
  return end
}

/** Up to eight letters of a name in lower case, the first one lowest. */
// @ts-expect-error: decorator
@inline
function lettersOf(from: i32, length: i32): u64 {
  return (load<u64>(from) | LOWER) & (~(<u64>0) >> (64 - 8 * min(length, 8)))
}

/** Start tags that change how the page is read on, `base` among them. Of a longer name that begins like one it says so too. */
// @ts-expect-error: decorator
@inline
function changesReading(name: u64, length: i32): bool {
  switch (<u8>name) {
    case 0x62:
      return name == 0x65736162 // base
    case 0x69:
      return name == 0x656d61726669 // iframe
    case 0x6d:
      return name == 0x6874616d // math
    case 0x6e:
      return name == 0x6465626d656f6e || name == 0x73656d6172666f6e || name == 0x7470697263736f6e // noembed noframes noscript
    case 0x70:
      return length == 9 && name == 0x7865746e69616c70 // plaintext
    case 0x73:
      return name == 0x656c797473 || name == 0x747069726373 || name == 0x677673 // style script svg
    case 0x74:
      return name == 0x656c746974 || name == 0x6165726174786574 || name == 0x6574616c706d6574 // title textarea template
    case 0x78:
      return name == 0x706d78 // xmp
  }
  return false
}

// @ts-expect-error: decorator
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
    let nameEnd = name + 1
    for (; nameEnd < end; nameEnd++) {
      const c = load<u8>(nameEnd)
      if (c <= GREATER && (c == GREATER || c == SLASH || isSpace(c))) break
    }
    const letters = lettersOf(name, nameEnd - name)
    const isLink = !isEnd && (letters == A || letters == AREA) && nameEnd - name <= 4
    if (!isEnd && !isLink && changesReading(letters, nameEnd - name)) return stop(AT_MARKUP, count, lt)
    const note = isLink ? NOTES + count * NOTE_BYTES : 0
    i = attributes(nameEnd, end, note)
    if (i == 0) return stop(IN_TAG, count, lt)
    if (!isLink) continue
    store<i32>(note, lt - PAGE)
    store<i32>(note, i - PAGE, 4)
    store<i32>(note, letters == A ? 0 : 1, 8)
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
    store<i32>(note, 0, 12) // has data- attributes
    store<i32>(note, -1, 16) // href: start, end, past its quote
    store<i32>(note, -1, 28) // rel: start, end
    store<i32>(note, -1, 36) // target: start, end
  }
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
      if (c <= GREATER && (c == EQUALS || c == GREATER || c == SLASH || isSpace(c))) break
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
          if (c <= GREATER && (c == GREATER || isSpace(c))) break
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
// @ts-expect-error: decorator
@inline
function noteAttribute(note: i32, name: i32, length: i32, valueStart: i32, valueEnd: i32, outerEnd: i32): void {
  const letters = lettersOf(name, length)
  if (length == 4 && letters == HREF) {
    if (load<i32>(note, 16) != -1) return
    store<i32>(note, valueStart - PAGE, 16)
    store<i32>(note, valueEnd - PAGE, 20)
    store<i32>(note, outerEnd - PAGE, 24)
  } else if (length == 3 && letters == REL) {
    if (load<i32>(note, 28) != -1) return
    store<i32>(note, valueStart - PAGE, 28)
    store<i32>(note, valueEnd - PAGE, 32)
  } else if (length == 6 && letters == TARGET) {
    if (load<i32>(note, 36) != -1) return
    store<i32>(note, valueStart - PAGE, 36)
    store<i32>(note, valueEnd - PAGE, 40)
  } else if ((letters & 0xffffffffff) == DATA) store<i32>(note, 1, 12)
}
