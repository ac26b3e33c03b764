// Names of elements, by their letters in lower case, the first one lowest.

export const A: u64 = 0x61
export const AREA: u64 = 0x61657261
export const SCRIPT_NAME: u64 = 0x747069726373

/** For each first letter the second ones of the names below, a bit each by the letter's place in the alphabet. */
const SECOND_LETTERS: usize = memory.data<u32>([
  0,
  0,
  1 << 1,
  0,
  0,
  0,
  0,
  0,
  0,
  1 << 6,
  0,
  0,
  0,
  1 << 1,
  1 << 15,
  0,
  1 << 12,
  0,
  0,
  (1 << 3) | (1 << 5) | (1 << 20) | (1 << 22),
  (1 << 5) | (1 << 9),
  0,
  0,
  0,
  1 << 13,
  0,
  0,
  0,
  0,
  0,
  0,
  0,
])

/** The two first letters tell nearly always that a tag is none of these: no more has to be compared, and nothing guessed. */
export function mayChangeReading(name: u64): bool {
  const second: u32 = 1 << (<u32>(name >> 8) & 31)
  return (load<u32>(SECOND_LETTERS + ((<u32>name & 31) << 2)) & second) != 0
}

/** Elements whose content is no markup; the end tag of their name ends it. */
export function isRaw(name: u64, length: i32): bool {
  return (
    length <= 8 &&
    (name == 0x656c797473 || // style
      name == 0x656c746974 || // title
      name == 0x6165726174786574 || // textarea
      name == 0x656d61726669 || // iframe
      name == 0x6465626d656f6e || // noembed
      name == 0x73656d6172666f6e || // noframes
      name == 0x706d78) // xmp
  )
}

/** Elements after which the page is read on by rules that are not the kernel's. */
export function isForOthers(name: u64, length: i32): bool {
  if (length == 9) return name == 0x7865746e69616c70 // plaintext
  return (
    length <= 8 &&
    (name == 0x677673 || // svg
      name == 0x6874616d || // math
      name == 0x6574616c706d6574 || // template
      name == 0x7463656c6573 || // select
      name == 0x7470697263736f6e || // noscript
      name == 0x65736162) // base
  )
}
