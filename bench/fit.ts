import { writeFileSync } from 'node:fs'
import { LIKENESSES } from '../src/core/routing/likeness.ts'
import { PageFinder } from '../src/core/routing/suggest.ts'
import { numbersFrom } from '../tests/unit/writing/numbers.ts'
import { MOVE_KINDS, MovingSite } from './moves.ts'

/** Sites that are learnt from: their seeds, and how large they are. Others are what the outcome is held against. */
const SITES = [
  [107, 40],
  [108, 80],
  [109, 150],
  [101, 300],
  [102, 2_000],
  [103, 6_000],
  [104, 20_000],
  [105, 20_000],
  [106, 10_000],
] as const
const OF_A_KIND = 300
const OF_NONE = 550
/** How often all are gone through, how many are looked at for one step, and how long a first step is. */
const ROUNDS = 50
const TOGETHER = 128
const RATE = 0.05
/** Pulls weights towards none at all (ridge). */
const PULL = 0.00002

interface Example {
  readonly likenesses: readonly Float64Array[]
  /** Which of them is right; -1 for none. */
  readonly right: number
}

function examples(): Example[] {
  const all: Example[] = []
  for (const [seed, size] of SITES) {
    const site = new MovingSite(seed, size)
    const finder = new PageFinder(site.pages)
    const pick = numbersFrom(seed)
    let lost = 0
    for (const kind of MOVE_KINDS)
      for (const move of site.moves(kind, kind === 'nowhere' ? OF_NONE : OF_A_KIND)) {
        // Some have a number for a name: then nothing but what stood there finds it.
        const isNumbered = pick(20) === 0
        const more = {
          ...(isNumbered || pick(10) < 2 ? { title: move.title } : {}),
          ...(isNumbered || pick(10) < 2 ? { words: move.words } : {}),
        }
        const page = pick(30) === 0 ? site.pages.find(({ path }) => path === move.to) : undefined
        if (page !== undefined) finder.put({ ...page, past: [move.path] })
        const found = [...finder.oddsOf({ path: isNumbered ? `/p/${pick(90_000)}` : move.path, ...more })]
        const right = found.findIndex(({ filed }) => filed.page.path === move.to)
        // What is not looked at cannot be learnt.
        if (move.to !== null && right === -1) lost++
        else all.push({ likenesses: found.map(({ likeness }) => likeness), right })
      }
    console.log(`${size} pages: ${lost} of ${all.length} were not among the pages that are looked at`)
  }
  return all
}

/** Weights by which what is right is likeliest among all that are near, and none of them: conditional logit, by gradient descent (Adam). */
function fit(all: Example[]): { bias: number; weights: number[] } {
  const n = LIKENESSES.length + 1
  const pick = numbersFrom(1)
  const weights = new Float64Array(n)
  weights[0] = -3
  const [slope, first, second] = [new Float64Array(n), new Float64Array(n), new Float64Array(n)]
  let step = 0
  for (let round = 1; round <= ROUNDS; round++) {
    let loss = 0
    for (let i = all.length - 1; i > 0; i--) {
      const j = pick(i + 1)
      ;[all[i], all[j]] = [all[j] as Example, all[i] as Example]
    }
    for (let from = 0; from < all.length; from += TOGETHER) {
      const some = all.slice(from, from + TOGETHER)
      slope.fill(0)
      for (const example of some) loss += lean(example, weights, slope)
      step++
      for (let k = 0; k < n; k++) {
        const g = (slope[k] ?? 0) / some.length + PULL * (k === 0 ? 0 : (weights[k] ?? 0))
        first[k] = 0.9 * (first[k] ?? 0) + 0.1 * g
        second[k] = 0.999 * (second[k] ?? 0) + 0.001 * g * g
        const by = (first[k] ?? 0) / (1 - 0.9 ** step) / (Math.sqrt((second[k] ?? 0) / (1 - 0.999 ** step)) + 1e-8)
        weights[k] = (weights[k] ?? 0) - (RATE / Math.sqrt(round)) * by
      }
    }
    console.log(`${round}: ${(loss / all.length).toFixed(4)}`)
  }
  return { bias: weights[0] ?? 0, weights: [...weights.slice(1)] }
}

/** Adds to the slope what one example says. @returns how little likely what is right was taken to be: minus its logarithm */
function lean({ likenesses, right }: Example, weights: Float64Array, slope: Float64Array): number {
  let whole = 1
  const odds = likenesses.map((x) => {
    let log = weights[0] ?? 0
    for (let k = 0; k < x.length; k++) log += (x[k] ?? 0) * (weights[k + 1] ?? 0)
    const each = Math.exp(Math.min(50, log))
    whole += each
    return each
  })
  for (const [i, x] of likenesses.entries()) {
    const by = (odds[i] ?? 0) / whole - Number(i === right)
    if (Math.abs(by) < 1e-6) continue
    slope[0] = (slope[0] ?? 0) + by
    for (let k = 0; k < x.length; k++) if (x[k] !== 0) slope[k + 1] = (slope[k + 1] ?? 0) + by * (x[k] ?? 0)
  }
  return -Math.log((right === -1 ? 1 : (odds[right] ?? 0)) / whole)
}

const { bias, weights } = fit(examples())
const lines = LIKENESSES.map((name, i) => `  ${/^\w+$/.test(name) ? name : `'${name}'`}: ${(weights[i] ?? 0).toFixed(2)},`)
writeFileSync(
  new URL('../src/core/routing/fitted.ts', import.meta.url),
  `import type { Likeness } from './likeness.ts'

/**
 * What each likeness tells, as a logarithm of odds; the bias is what there is to be made good. Fitted by \`npm run fit\` to made-up
 * moves (bench/moves.ts) as a conditional logit in which no page at all is a choice, too; not written by hand.
 */
export const FITTED: Readonly<Record<Likeness, number>> & { readonly bias: number } = {
  bias: ${bias.toFixed(2)},
${lines.join('\n')}
}
`,
)
