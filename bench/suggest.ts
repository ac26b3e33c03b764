import { PageFinder } from '../src/core/routing/suggest.ts'
import { type Row, sized } from './measure.ts'
import { MOVE_KINDS, type Move, MovingSite } from './moves.ts'

const PAGES = sized(20_000)
const ADDRESSES = sized(10_000)
const MOST_S = 10
/** What is asked of the suggestions, in a hundred: of what moved somewhere, and of what moved nowhere. */
const FIRST = 97
const THREE = 99
const HIGH = 2
/** Seed of a site that nothing was fitted to. */
const SEED = 900

/** 10,000 lost addresses against 20,000 pages: seconds, against what they may take; and how many find their page, in the note. */
export function suggest(): Promise<Row> {
  const site = new MovingSite(SEED, PAGES)
  const finder = new PageFinder(site.pages)
  const moves = MOVE_KINDS.flatMap((kind) => site.moves(kind, ADDRESSES / MOVE_KINDS.length))
  for (const { path } of moves.slice(0, 500)) finder.suggest({ path }, 3)
  const startedAt = performance.now()
  const found = moves.map((move) => ({ move, found: finder.suggest({ path: move.path }, 3) }))
  const seconds = ((performance.now() - startedAt) / 1_000) * (ADDRESSES / moves.length)
  const share = (of: (move: Move, found: readonly { to: string; score: number }[]) => boolean, kinds: readonly string[]): number => {
    const some = found.filter(({ move }) => kinds.includes(move.kind))
    return (100 * some.filter(({ move, found }) => of(move, found)).length) / some.length
  }
  const somewhere = MOVE_KINDS.filter((kind) => kind !== 'nowhere')
  const isFirst = (move: Move, [best]: readonly { to: string }[]): boolean => best?.to === move.to
  const first = share(isFirst, somewhere)
  const three = share((move, some) => some.some(({ to }) => to === move.to), somewhere)
  const high = share((_, [best]) => (best?.score ?? 0) >= 0.8, ['nowhere'])
  const tens = [50, 60, 70, 80, 90].map((least) => {
    const some = found.filter(({ found: [best] }) => best !== undefined && best.score * 100 >= least && best.score * 100 < least + 10)
    return `${least}: ${((100 * some.filter(({ move, found }) => isFirst(move, found)).length) / some.length).toFixed(0)} of ${some.length}`
  })
  return Promise.resolve({
    name: 'suggest',
    ours: seconds,
    peer: MOST_S,
    unit: 's',
    goal: first >= FIRST && three >= THREE && high <= HIGH ? 1 : 0,
    isAtMost: true,
    note: `first ${first.toFixed(1)}, in three ${three.toFixed(1)}; moved nowhere and scored 80: ${high.toFixed(1)}; ${somewhere
      .map((kind) => `${kind} ${share(isFirst, [kind]).toFixed(1)}`)
      .join(', ')}; right by score ${tens.join(', ')}`,
  })
}
