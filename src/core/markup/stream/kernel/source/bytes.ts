// Characters, and looking for them, sixteen bytes at a time.

export const BANG: u8 = 0x21
export const QUOTE: u8 = 0x22
export const HASH_SIGN: u8 = 0x23
export const AMPERSAND: u8 = 0x26
export const APOSTROPHE: u8 = 0x27
export const DASH: u8 = 0x2d
export const DOT: u8 = 0x2e
export const SLASH: u8 = 0x2f
export const LESS: u8 = 0x3c
export const EQUALS: u8 = 0x3d
export const GREATER: u8 = 0x3e
export const QUESTION: u8 = 0x3f
export const BRACKET: u8 = 0x5d
export const UNDERSCORE: u8 = 0x5f
export const TILDE: u8 = 0x7e

/** HTML's ASCII whitespace, and CR, which input preprocessing turns into LF. */
export function isSpace(c: u8): bool {
  return c == 0x20 || c == 0x0a || c == 0x09 || c == 0x0d || c == 0x0c
}

export function isLetter(c: u8): bool {
  return (c | 0x20) - 0x61 < 26
}

export function isLowerLetter(c: u8): bool {
  return c - 0x61 < 26
}

export function isDigit(c: u8): bool {
  return c - 0x30 < 10
}

/** The first byte `c` from `from` on; `end` where there is none. */
export function find(c: u8, from: usize, end: usize): usize {
  const wanted = i8x16.splat(c)
  for (let i = from; i < end; i += 16) {
    const mask = i8x16.bitmask(i8x16.eq(v128.load(i), wanted))
    if (mask != 0) return min(i + ctz(mask), end)
  }
  return end
}

/** The first byte that is `a` or `b`. */
export function findEither(a: u8, b: u8, from: usize, end: usize): usize {
  for (let i = from; i < end; i += 16) {
    const bytes = v128.load(i)
    const mask = i8x16.bitmask(v128.or(i8x16.eq(bytes, i8x16.splat(a)), i8x16.eq(bytes, i8x16.splat(b))))
    if (mask != 0) return min(i + ctz(mask), end)
  }
  return end
}

/** Which of the 16 bytes at a place may part a name from what follows it: those up to ">", the first one lowest. */
function lowBytes(at: usize): i32 {
  return i8x16.bitmask(i8x16.le_u(v128.load(at), i8x16.splat(GREATER)))
}

export function partsNames(c: u8): bool {
  return c == GREATER || c == SLASH || isSpace(c)
}

/** Past a tag's name, of which the first letter stands before `from`. */
export function endOfName(from: usize, end: usize): usize {
  for (let i = from; i < end; i += 16) {
    for (let mask = lowBytes(i); mask != 0; mask &= mask - 1) {
      const at = i + ctz(mask)
      if (partsNames(load<u8>(at))) return min(at, end)
    }
  }
  return end
}

/** Where the name of an attribute of usual length ends, which begins at `from`; `from` where none does within 16 bytes. */
export function endOfUsualName(from: usize): usize {
  for (let mask = lowBytes(from); mask != 0; mask &= mask - 1) {
    const at = from + ctz(mask)
    const c = load<u8>(at)
    if (c == EQUALS || partsNames(c)) return at
  }
  return from
}

/** Up to eight letters of a name in lower case, the first one lowest. */
export function lettersOf(from: usize, length: i32): u64 {
  return (load<u64>(from) | 0x2020202020202020) & (~(<u64>0) >> (64 - 8 * min(length, 8)))
}
