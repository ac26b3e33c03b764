import { seeded } from '../demo/random.ts'
import { type Candidate, choose, Phrasebook, readProse } from '../src/core/phrases/index.ts'
import { byTurns, median, type Row, rateOf, sized } from './measure.ts'

const PHRASES = sized(10_000)
const PAGES = sized(1_000)
const WORDS_A_PAGE = 800
const ROUNDS = 5
const FOUND_MAX = 2_000
/** The peer goes through so few pages a round: it takes a second for some thirty. */
const PEER_PAGES = 2
const CHOOSE_MAX_MS = 50

/** Words as a language has them: few that are everywhere, many that are rare (Zipf). @returns draws one */
function vocabulary(random: () => number): () => string {
  const pick = (of: string): string => of[Math.floor(random() * of.length)] ?? ''
  const words = Array.from({ length: 20_000 }, () =>
    Array.from({ length: 2 + Math.floor(random() * 3) }, () => pick('bdfgklmnprstv') + pick('aeiou')).join(''),
  )
  return () => words[Math.floor(words.length ** random()) - 1] ?? 'rope'
}

/** 10,000 phrases over 1,000 pages, against a loop of one regular expression a phrase; and the exact choice of a page beside it. */
export async function phrases(): Promise<Row> {
  const random = seeded(14)
  const word = vocabulary(random)
  const pages = Array.from({ length: PAGES }, () =>
    Array.from({ length: WORDS_A_PAGE / 40 }, () => `<p>${Array.from({ length: 40 }, word).join(' ')}.</p>`).join('\n'),
  )
  const wanted = Array.from({ length: PHRASES }, () => Array.from({ length: 1 + Math.floor(random() * 3) }, word).join(' '))
  const proses = pages.map(readProse)
  const texts = proses.map(({ pieces }) => pieces.map(({ text }) => text).join('\n'))
  const book = new Phrasebook(wanted, 'en')
  const patterns = wanted.map((phrase) => new RegExp(`\\b${phrase}\\b`, 'giu'))
  let found = 0
  const measured = await byTurns(
    ROUNDS,
    () =>
      rateOf(PAGES, 1_500, () => {
        for (const prose of proses) found += book.find(prose, FOUND_MAX).length
      }),
    () =>
      rateOf(PEER_PAGES, 1_500, () => {
        for (const text of texts.slice(0, PEER_PAGES)) for (const pattern of patterns) for (const _ of text.matchAll(pattern)) found++
      }),
  )
  if (found === 0) throw new Error('No phrase was found')
  const times = Array.from({ length: 30 }, (_, seed) => {
    const candidates = candidatesOf(seeded(seed + 1))
    const startedAt = performance.now()
    choose(candidates, [], { paid: 4, links: 8, distance: 25, beside: 4 })
    return performance.now() - startedAt
  })
  const note = `the exact choice among 500 candidates: ${median(times).toFixed(1)} ms, the slowest of 30 pages ${Math.max(...times).toFixed(1)} ms (at most ${CHOOSE_MAX_MS})`
  return { name: 'phrases', ...measured, unit: 'pages/s', goal: 50, note }
}

/** Places of a page as phrases give them: a phrase stands in several, and earlier ones are worth more. */
function candidatesOf(random: () => number): Candidate[] {
  return Array.from({ length: 500 }, () => {
    const at = Math.floor(random() * 6_000)
    const destination = Math.floor(random() ** 1.5 * 60)
    return {
      destination: `to ${destination}`,
      paragraph: Math.floor(at / 80),
      at,
      until: at + 2,
      isPaid: random() < 0.8,
      value: 1 + (destination % 7) * 0.3 + 2 * (1 - at / 6_000) + random() * 0.2,
    }
  })
}
