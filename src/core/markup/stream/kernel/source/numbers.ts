// Short runs of bytes get numbers, so that whoever asks can tell two of them apart without looking at their bytes again.
import { ARENA, ARENA_END, ARENA_USED, IS_FULL, NAMED, SLOT_BYTES, SLOTS, SLOTS_MAX } from './memory'

/** Longer ones are not numbered. */
const LENGTH_MAX: i32 = 128
/** Slots beyond these stay free, so that looking for one stays short. */
const NUMBERS_MAX: i32 = 4096

/** Eight bytes, of which those from `length` on count as zero. */
function eightOf(from: usize, length: i32): u64 {
  const bytes = load<u64>(from)
  return length >= 8 ? bytes : bytes & ~(~(<u64>0) << (8 * length))
}

function isSame(a: usize, b: usize, length: i32): bool {
  for (let k = 0; k < length; k += 8) if (eightOf(a + k, length - k) != eightOf(b + k, length - k)) return false
  return true
}

function hashOf(from: usize, length: i32): u32 {
  let hash: u64 = length
  for (let k = 0; k < length; k += 8) {
    hash = (hash ^ eightOf(from + k, length - k)) * 0x9e3779b97f4a7c15 // 2^64 by the golden ratio: spreads to the upper bits
    hash ^= hash >> 32
  }
  return <u32>hash
}

/** @returns a number from 1 on, the same for the same bytes; -1 where it is too long, or there is no more room */
export function numberOf(from: usize, length: i32): i32 {
  if (length > LENGTH_MAX) return -1
  const hash = hashOf(from, length)
  let at: u32 = hash
  while (true) {
    at &= SLOTS_MAX - 1
    const slot = SLOTS + <usize>at * SLOT_BYTES
    const known = load<i32>(slot)
    if (known == 0) return giveNumber(slot, hash, from, length)
    if (load<u32>(slot, 4) == hash && load<i32>(slot, 12) == length && isSame(load<u32>(slot, 8), from, length)) return known
    at++
  }
}

function giveNumber(slot: usize, hash: u32, from: usize, length: i32): i32 {
  const number = load<i32>(NAMED) + 1
  const at: usize = ARENA + load<u32>(ARENA_USED)
  if (number > NUMBERS_MAX || at + length > ARENA_END) {
    store<i32>(IS_FULL, 1)
    return -1
  }
  memory.copy(at, from, length)
  store<i32>(NAMED, number)
  store<u32>(ARENA_USED, <u32>(at + length - ARENA))
  store<i32>(slot, number)
  store<u32>(slot, hash, 4)
  store<u32>(slot, <u32>at, 8)
  store<i32>(slot, length, 12)
  return number
}

/** Forgets all numbers. */
export function forget(): void {
  memory.fill(SLOTS, 0, <usize>SLOTS_MAX * SLOT_BYTES)
  store<i32>(NAMED, 0)
  store<u32>(ARENA_USED, 0)
  store<i32>(IS_FULL, 0)
}
