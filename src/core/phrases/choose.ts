/** A place where a link could be. Positions count words of the page. */
export interface Candidate {
  /** What it leads to: two of the same are one too many. */
  readonly destination: string
  readonly paragraph: number
  readonly at: number
  /** Exclusive. */
  readonly until: number
  readonly isPaid: boolean
  /** Above 0; compared to a thousandth. */
  readonly value: number
}

/** A link that is there already. */
export type Standing = Pick<Candidate, 'destination' | 'paragraph' | 'at' | 'until' | 'isPaid'>

export interface ChoiceLimits {
  /** Paid links that the page bears, those that are there among them. */
  readonly paid: number
  /** New links that a page gets at once, paid or not. */
  readonly links: number
  /** Words between two new links, and between one and a paid link that is there, at least. */
  readonly distance: number
  /** Words between a new link and one that is there and not paid, at least. */
  readonly beside: number
}

/** Why a candidate was not chosen. "outweighed": it would stand in the way of what is worth more. */
export const NOT_CHOSEN = ['destination linked', 'paragraph full', 'page full', 'too near', 'outweighed'] as const
export type NotChosen = (typeof NOT_CHOSEN)[number]

export interface Choice {
  /** Numbers of candidates, in the order of the page. */
  readonly chosen: readonly number[]
  readonly value: number
  readonly left: ReadonlyMap<number, NotChosen>
}

const SCALE = 1_000
/** Sums of prices are exact to less than this. */
const ROUNDING = 1e-6

interface Item {
  readonly index: number
  readonly destination: number
  readonly paragraph: number
  readonly isPaid: boolean
  readonly value: number
  readonly at: number
  /** Where the next link may begin. */
  readonly clearAt: number
  /** The first item that is far enough behind it. */
  readonly next: number
}

/**
 * The set of candidates of the greatest total value that keeps every limit: one paid link a paragraph, so many a page, one link
 * a destination, so many words between two. The answer is exact. Of sets of the same value any may be given, always the same.
 */
export function choose(candidates: readonly Candidate[], standing: readonly Standing[], limits: ChoiceLimits): Choice {
  const left = new Map<number, NotChosen>()
  const room = Math.max(0, limits.paid - standing.filter(({ isPaid }) => isPaid).length)
  const open = candidates.flatMap((candidate, index) => {
    const why = whyNot(candidate, standing, limits, room)
    if (why !== null) left.set(index, why)
    return why === null ? [{ candidate, index }] : []
  })
  const items = itemsOf(open, limits.distance)
  const chosen = best(items, { paid: Math.min(room, limits.links), links: limits.links })
  const taken = new Set(chosen.map(({ index }) => index))
  // Those that are chosen count as new ones do, paid or not.
  const fresh = [...taken].flatMap((index) => candidates[index] ?? [])
  const all: Standing[] = [...standing, ...fresh.filter(({ isPaid }) => isPaid)]
  for (const { candidate, index } of open)
    if (!taken.has(index)) left.set(index, whyNot(candidate, all, limits, room - countPaid(candidates, taken)) ?? 'outweighed')
  return {
    chosen: chosen.map(({ index }) => index),
    value: worthOf(chosen) / SCALE,
    left,
  }
}

const countPaid = (candidates: readonly Candidate[], taken: ReadonlySet<number>): number =>
  [...taken].filter((i) => candidates[i]?.isPaid === true).length

function whyNot(candidate: Candidate, standing: readonly Standing[], { distance, beside }: ChoiceLimits, room: number): NotChosen | null {
  if (standing.some(({ destination }) => destination === candidate.destination)) return 'destination linked'
  if (candidate.isPaid && standing.some(({ isPaid, paragraph }) => isPaid && paragraph === candidate.paragraph)) return 'paragraph full'
  if (candidate.isPaid && room <= 0) return 'page full'
  const isNear = ({ at, until, isPaid }: Standing): boolean => {
    const gap = isPaid ? distance : beside
    return candidate.at < until + gap && at < candidate.until + gap
  }
  if (standing.some(isNear)) return 'too near'
  return null
}

function itemsOf(open: readonly { candidate: Candidate; index: number }[], distance: number): Item[] {
  const destinations = new Map<string, number>()
  return linked(
    open
      .map(({ candidate: { destination, paragraph, isPaid, value, at, until }, index }) => {
        const number = destinations.get(destination) ?? destinations.size
        destinations.set(destination, number)
        return {
          index,
          destination: number,
          paragraph,
          isPaid,
          value: Math.max(1, Math.round(value * SCALE)),
          at,
          clearAt: until + distance,
        }
      })
      .sort((a, b) => a.at - b.at || a.clearAt - b.clearAt || a.index - b.index),
  )
}

/** Items in the order of the page, each knowing the next one that is far enough behind it. */
function linked(items: readonly Omit<Item, 'next'>[]): Item[] {
  return items.map((item, i) => {
    let [low, high] = [i + 1, items.length]
    while (low < high) {
      const middle = (low + high) >>> 1
      if ((items[middle]?.at ?? 0) >= item.clearAt) high = middle
      else low = middle + 1
    }
    return { ...item, next: low }
  })
}

const worthOf = (items: readonly Item[]): number => items.reduce((sum, { value }) => sum + value, 0)

/** Links that may still come. */
interface Room {
  readonly paid: number
  readonly links: number
}

const NO_STATES = new Int16Array()

/** The states that the room can come to, numbered from the one with all of it, and where each kind of link leads from each. */
function statesOf(
  { paid, links }: Room,
  there: { readonly free: number; readonly paid: number },
): { count: number; free: Int16Array; paid: Int16Array } {
  const numbers = new Map<string, number>()
  const states: [paidTaken: number, freeTaken: number][] = []
  const numberOf = (paidTaken: number, freeTaken: number): number => {
    if (paidTaken > Math.min(paid, there.paid) || freeTaken > there.free || paidTaken + freeTaken > links) return -1
    const name = `${paidTaken} ${freeTaken}`
    const known = numbers.get(name)
    if (known !== undefined) return known
    states.push([paidTaken, freeTaken])
    numbers.set(name, states.length - 1)
    return states.length - 1
  }
  numberOf(0, 0)
  const then: [number[], number[]] = [[], []]
  for (let i = 0; i < states.length; i++) {
    const [paidTaken, freeTaken] = states[i] ?? [0, 0]
    then[0].push(numberOf(paidTaken, freeTaken + 1))
    then[1].push(numberOf(paidTaken + 1, freeTaken))
  }
  return { count: states.length, free: Int16Array.from(then[0]), paid: Int16Array.from(then[1]) }
}

/** Prices are found, what is in no better set goes, and the prices again for what is left, as long as much goes. */
function best(all: readonly Item[], room: Room): readonly Item[] {
  let items = all
  let found: readonly Item[] = []
  let prices: Float64Array | null = null
  for (;;) {
    const search: Search = new Search(items, room, { known: worthOf(found), steps: FIRST_STEPS, prices })
    if (search.found !== null) found = search.found
    const left = linked(items.filter((_, i) => search.isWorthIt(i)))
    if (left.length === 0) return found
    prices = search.prices
    if (left.length > items.length * 0.9)
      return new Search(left, room, { known: worthOf(found), steps: PRICE_STEPS, prices }).search() ?? found
    items = left
  }
}

/**
 * Steps in which the prices of destinations are found. More make the bound tighter, and cost more than they save; while much can
 * still go a few will do, as each costs what is left.
 */
const PRICE_STEPS = 80
const FIRST_STEPS = 20

/**
 * The search. Its bound asks each destination for a price, so that taking one twice is no longer worth it (Lagrangian relaxation;
 * Fisher, "The Lagrangian relaxation method for solving integer programming problems", 1981): the best set at these prices, found
 * by dynamic programming over the page, and the prices of the destinations that are free still, are never less than what can come.
 */
class Search {
  readonly #items: readonly Item[]
  /** By state of the room that is left, and whether a paid link is taken: the state then; -1 where there is no room for it. The first has all of it. */
  readonly #then: readonly [free: Int16Array, paid: Int16Array]
  /** Numbers of an item in {@link Search.#ahead}: two a state, the second for a paragraph that is full. */
  readonly #width: number
  /** Whether the next item is in the same paragraph, and the one that follows when this is taken. */
  readonly #skipFull: Uint8Array
  readonly #takeFull: Uint8Array
  readonly #prices: Float64Array
  /** By item, paid links to go, and whether the item's paragraph has one: the most that can come at these prices. */
  readonly #ahead: Float64Array
  readonly #used: Uint8Array
  readonly #path: number[] = []
  /** Null while nothing better was found than was known before. */
  #best: number[] | null = null
  #bestValue: number
  /** Of the destinations that are free. */
  #pricesToCome = 0
  readonly #through: Float64Array

  /** @param known - the value of a set that is known already @param prices - where they are begun from; null for none */
  constructor(
    items: readonly Item[],
    room: Room,
    { known, steps, prices }: { readonly known: number; readonly steps: number; readonly prices: Float64Array | null },
  ) {
    this.#items = items
    const { count, free, paid } = statesOf(room, {
      free: items.filter(({ isPaid }) => !isPaid).length,
      paid: items.filter(({ isPaid }) => isPaid).length,
    })
    this.#then = [free, paid]
    this.#width = 2 * count
    this.#skipFull = Uint8Array.from(items, ({ paragraph }, i) => (items[i + 1]?.paragraph === paragraph ? 1 : 0))
    this.#takeFull = Uint8Array.from(items, ({ paragraph, next }) => (items[next]?.paragraph === paragraph ? 1 : 0))
    this.#bestValue = known
    const destinations = items.reduce((most, { destination }) => Math.max(most, destination + 1), 0)
    this.#prices = new Float64Array(destinations)
    if (prices !== null) this.#prices.set(prices.subarray(0, destinations))
    this.#used = new Uint8Array(destinations)
    this.#ahead = new Float64Array((items.length + 1) * this.#width)
    this.#findPrices(steps)
    this.#pricesToCome = this.#prices.reduce((sum, each) => sum + each, 0)
    this.#through = this.#lookThrough()
  }

  get prices(): Float64Array {
    return this.#prices
  }

  /** A better set than was known. */
  get found(): readonly Item[] | null {
    return this.#best?.flatMap((i) => this.#items[i] ?? []) ?? null
  }

  /** Whether a set with this item may be better than what is known. */
  isWorthIt(i: number): boolean {
    return (this.#through[i] ?? 0) + this.#pricesToCome >= this.#bestValue + 1 - ROUNDING
  }

  /** @returns the best set of all; null where none is better than what was known */
  search(): readonly Item[] | null {
    this.#walk(0, 0, 0, 0)
    return this.found
  }

  #at(i: number, room: number, isFull: number): number {
    return i * this.#width + room * 2 + isFull
  }

  /** What an item is worth at the prices. */
  #net({ value, destination }: Item): number {
    return value - (this.#prices[destination] ?? 0)
  }

  #lookAhead(): void {
    const items = this.#items
    const ahead = this.#ahead
    const width = this.#width
    for (let i = items.length - 1; i >= 0; i--) {
      const item = items[i]
      if (item === undefined) continue
      const net = this.#net(item)
      const paid = item.isPaid ? 1 : 0
      const afters = this.#then[paid] ?? NO_STATES
      const [skipFull, takeFull] = [this.#skipFull[i] ?? 0, this.#takeFull[i] ?? 0]
      const [here, skipped, taken] = [i * width, (i + 1) * width, item.next * width]
      for (let room = 0; room < afters.length; room++) {
        const after = afters[room] ?? -1
        for (let isFull = 0; isFull < 2; isFull++) {
          let most = ahead[skipped + room * 2 + (isFull & skipFull)] ?? 0
          if (after !== -1 && (isFull & paid) === 0) {
            const then = net + (ahead[taken + after * 2 + ((isFull | paid) & takeFull)] ?? 0)
            if (then > most) most = then
          }
          ahead[here + room * 2 + isFull] = most
        }
      }
    }
  }

  /** The most that a set with each item comes to, at the prices. */
  #lookThrough(): Float64Array {
    const items = this.#items
    const through = new Float64Array(items.length).fill(Number.NEGATIVE_INFINITY)
    const behind = new Float64Array(this.#ahead.length).fill(Number.NEGATIVE_INFINITY)
    behind[0] = 0
    const raise = (state: number, value: number): void => {
      if (value > (behind[state] ?? 0)) behind[state] = value
    }
    for (const [i, item] of items.entries()) {
      const net = this.#net(item)
      const paid = item.isPaid ? 1 : 0
      const skipFull = this.#skipFull[i] ?? 0
      const takeFull = this.#takeFull[i] ?? 0
      for (let room = 0; 2 * room < this.#width; room++)
        for (let isFull = 0; isFull < 2; isFull++) {
          const here = behind[this.#at(i, room, isFull)] ?? Number.NEGATIVE_INFINITY
          if (here === Number.NEGATIVE_INFINITY) continue
          raise(this.#at(i + 1, room, isFull & skipFull), here)
          const after = this.#then[paid]?.[room] ?? -1
          if (after === -1 || (isFull & paid) === 1) continue
          const then = this.#at(item.next, after, (isFull | paid) & takeFull)
          raise(then, here + net)
          through[i] = Math.max(through[i] ?? 0, here + net + (this.#ahead[then] ?? 0))
        }
    }
    return through
  }

  /** How often each destination is in the best set at the prices; that set, without what is in it twice, is a first answer. */
  #takenAtPrices(): Uint16Array {
    const counts = new Uint16Array(this.#prices.length)
    const path: number[] = []
    let [i, room, isFull, value] = [0, 0, 0, 0]
    for (let item = this.#items[0]; item !== undefined; item = this.#items[i]) {
      const paid = item.isPaid ? 1 : 0
      const then = (isFull | paid) & (this.#takeFull[i] ?? 0)
      const after = this.#then[paid]?.[room] ?? -1
      const isTaken =
        after !== -1 &&
        (isFull & paid) === 0 &&
        this.#net(item) + (this.#ahead[this.#at(item.next, after, then)] ?? 0) >= (this.#ahead[this.#at(i, room, isFull)] ?? 0)
      if (!isTaken) {
        isFull &= this.#skipFull[i] ?? 0
        i++
        continue
      }
      if (counts[item.destination] === 0) {
        path.push(i)
        value += item.value
      }
      counts[item.destination] = (counts[item.destination] ?? 0) + 1
      room = after
      isFull = then
      i = item.next
    }
    if (value > this.#bestValue) [this.#bestValue, this.#best] = [value, path]
    return counts
  }

  /** Subgradient steps: what is taken twice becomes dearer, what is not taken cheaper. The prices of the least bound are kept. */
  #findPrices(steps: number): void {
    let least = Number.POSITIVE_INFINITY
    let kept = this.#prices.slice()
    let stride = 1
    for (let step = 0, idle = 0; step < steps; step++) {
      this.#lookAhead()
      const bound = (this.#ahead[0] ?? 0) + this.#prices.reduce((sum, each) => sum + each, 0)
      const counts = this.#takenAtPrices()
      if (bound < least - 0.5) [least, kept, idle] = [bound, this.#prices.slice(), 0]
      else if (++idle >= 6) [stride, idle] = [stride / 2, 0]
      if (least < this.#bestValue + 1) break
      let norm = 0
      for (const [d, count] of counts.entries()) if (count > 0 || (this.#prices[d] ?? 0) > 0) norm += (count - 1) ** 2
      if (norm === 0) break
      const length = (stride * (bound - this.#bestValue)) / norm
      for (const [d, count] of counts.entries())
        if (count > 0 || (this.#prices[d] ?? 0) > 0) this.#prices[d] = Math.max(0, (this.#prices[d] ?? 0) + length * (count - 1))
    }
    this.#prices.set(kept)
    this.#lookAhead()
  }

  #walk(i: number, room: number, isFull: number, value: number): void {
    if (value > this.#bestValue) {
      this.#bestValue = value
      this.#best = [...this.#path]
    }
    const item = this.#items[i]
    if (item === undefined) return
    const ahead = this.#ahead[this.#at(i, room, isFull)] ?? 0
    // Values are whole: less than one more is nothing more.
    if (value + ahead + this.#pricesToCome < this.#bestValue + 1 - ROUNDING) return
    const paid = item.isPaid ? 1 : 0
    const after = this.#then[paid]?.[room] ?? -1
    const mayTake = this.#used[item.destination] === 0 && after !== -1 && (isFull & paid) === 0
    const then = (isFull | paid) & (this.#takeFull[i] ?? 0)
    const price = this.#prices[item.destination] ?? 0
    const take = (): void => {
      this.#used[item.destination] = 1
      this.#pricesToCome -= price
      this.#path.push(i)
      this.#walk(item.next, after, then, value + item.value)
      this.#path.pop()
      this.#pricesToCome += price
      this.#used[item.destination] = 0
    }
    const isTakenFirst = mayTake && this.#net(item) + (this.#ahead[this.#at(item.next, after, then)] ?? 0) >= ahead
    if (isTakenFirst) take()
    this.#walk(i + 1, room, isFull & (this.#skipFull[i] ?? 0), value)
    if (mayTake && !isTakenFirst) take()
  }
}
