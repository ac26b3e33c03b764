import type { SeenHop, StopFault } from './seen.ts'

/** What can be said of a destination, the worst first. */
export const VERDICTS = [
  'unreachable',
  'certificate',
  'goes-round',
  'missing',
  'failing',
  'number-lost',
  'refused',
  'moved',
  'moved-for-now',
  'lands',
] as const
export type Verdict = (typeof VERDICTS)[number]

/** A verdict with what it was seen by. `at` is the number of a stop, from 0 on. */
export type Judged =
  | { readonly verdict: 'unreachable' | 'certificate' | 'goes-round'; readonly at: number; readonly fault: StopFault }
  | { readonly verdict: 'missing'; readonly at: number; readonly status: number | null; readonly fault: StopFault | null }
  | { readonly verdict: 'failing'; readonly at: number; readonly status: number }
  | { readonly verdict: 'refused'; readonly at: number; readonly status: number | null; readonly fault: StopFault | null }
  | { readonly verdict: 'number-lost'; readonly at: number; readonly partners: readonly string[] }
  | { readonly verdict: 'moved' | 'moved-for-now'; readonly at: number; readonly to: string }
  | { readonly verdict: 'lands'; readonly at: number; readonly status: number }

/** Moved for good: the address in `Location` is to be taken instead (RFC 9110 §15.4.2, §15.4.9). */
const FOR_GOOD: ReadonlySet<number | null> = new Set([301, 308])
const GONE: ReadonlySet<number | null> = new Set([404, 410])

const BROKEN: ReadonlySet<Verdict> = new Set(['unreachable', 'certificate', 'goes-round', 'missing', 'failing'])

/** Whether a visitor who is sent there finds nothing. Where robots are turned away nobody knows: that is not broken. */
export const isBroken = (verdict: Verdict): boolean => BROKEN.has(verdict)

/**
 * What there is to say of a destination, from the stops of a visit to it.
 * @param hops - in their order, at least one
 * @returns all that is true, the worst first; never empty
 */
export function judge(hops: readonly SeenHop[]): readonly [Judged, ...Judged[]] {
  const last = hops[hops.length - 1]
  if (last === undefined) throw new RangeError('a visit has at least one stop')
  const end = endOf(last, hops.length - 1)
  const others = [...lostOn(hops), ...(isBroken(end.verdict) ? [] : moves(hops))]
  const [worst = end, ...rest] = [end, ...others].sort((a, b) => VERDICTS.indexOf(a.verdict) - VERDICTS.indexOf(b.verdict))
  return [worst, ...rest]
}

function endOf({ status, fault }: SeenHop, at: number): Judged {
  switch (fault) {
    case 'this-machine':
    case 'private-network':
      return { verdict: 'refused', at, status, fault } // nobody was asked
    case 'certificate':
      return { verdict: 'certificate', at, fault }
    case 'in-a-circle':
    case 'too-many-hops':
      return { verdict: 'goes-round', at, fault }
    case 'no-short-link':
    case 'no-page':
    case 'told-gone':
      return { verdict: 'missing', at, status, fault }
    case null:
      break
    default:
      return { verdict: 'unreachable', at, fault }
  }
  if (status === null) return { verdict: 'unreachable', at, fault: 'unreachable' }
  if (GONE.has(status)) return { verdict: 'missing', at, status, fault: null }
  if (status >= 500) return { verdict: 'failing', at, status }
  // Asked for a name, told to pay, asked too often, or taken for a robot: whether there is anything for a reader cannot be told.
  if (status >= 400) return { verdict: 'refused', at, status, fault: null }
  return { verdict: 'lands', at, status }
}

const lostOn = (hops: readonly SeenHop[]): Judged[] => {
  const at = hops.findIndex(({ lost }) => lost.length > 0)
  return at === -1 ? [] : [{ verdict: 'number-lost', at, partners: hops[at]?.lost ?? [] }]
}

/** What a site outside says of its own address first; where our own short links and redirects lead is our own business. */
function moves(hops: readonly SeenHop[]): Judged[] {
  const at = hops.findIndex(({ by }) => by === 'outside')
  if (at === -1 || at === hops.length - 1) return []
  let to = at
  while (to < hops.length - 1 && FOR_GOOD.has(hops[to]?.status ?? null)) to++
  if (to > at) return [{ verdict: 'moved', at, to: hops[to]?.address ?? '' }]
  return [{ verdict: 'moved-for-now', at, to: hops[at + 1]?.address ?? '' }]
}
