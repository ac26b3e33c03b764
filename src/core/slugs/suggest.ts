import { type Told, tell } from '../../words/index.ts'
import { parseUrl } from '../address/index.ts'
import { type Sayability, sayabilityOf } from './sayability.ts'
import { slugFault, wordsOf } from './slug.ts'

export interface SlugSuggestion {
  readonly slug: string
  /** In plain words. */
  readonly why: Told
  /** How well it is said: see `sayabilityOf`. */
  readonly score: Sayability['score']
}

const FILLER = new Set(
  'a an and at by de der des die for from in la le les of on or our some the this to und von with your html htm php aspx www com org net index page product products item items shop article articles p id en us gb'.split(
    ' ',
  ),
)
const MAX_SUGGESTIONS = 4
/** See `sayabilityOf`. */
const SAYABLE = 50
/** Words that fit into one breath. */
const MAX_WORDS = 3

/**
 * Slugs that are free and can be said aloud, best first, made from the title and the words of the destination's address.
 * @param isTaken - tells whether a slug is in use on that host; reserved ones need not be told
 */
export function suggestSlugs(destination: string, title: string, isTaken: (slug: string) => boolean): readonly SlugSuggestion[] {
  const url = parseUrl(destination)
  const host = (url?.hostname ?? '').replace(/^www\./, '').split('.')[0] ?? ''
  const titleWords = sayable(wordsOf(title))
  const pathWords = sayable(wordsOf((url === null ? '' : lastSegment(url)).replace(/\.[a-z0-9]{1,5}$/i, '')))
  const hostWords = wordsOf(host)
  const candidates: SlugSuggestion[] = []
  const offer = (words: readonly string[], why: Told): void => {
    const slug = words.join('-')
    if (slug.length < 2 || slugFault(slug) !== null || candidates.some((each) => each.slug === slug)) return
    if (isTaken(slug)) return
    candidates.push({ slug, why, score: sayabilityOf(slug).score })
  }
  const lead = titleWords.length > 0 ? titleWords : pathWords
  offer(lead.slice(-1), tell('slug.one-word'))
  offer(lead.slice(0, 2), tell('slug.two-words'))
  offer(lead.slice(0, MAX_WORDS), tell('slug.says-it'))
  offer(pathWords.slice(0, 2), tell('slug.own-address'))
  offer([...hostWords.slice(0, 2)], tell('slug.site'))
  offer([...hostWords.slice(0, 1), ...lead.slice(-1)], tell('slug.site-and-thing'))
  for (let number = 2; candidates.length === 0 && number < 100; number++) {
    offer(
      [...(lead.length > 0 ? lead.slice(-1) : hostWords.length > 0 ? hostWords.slice(0, 1) : ['link']), String(number)],
      tell('slug.numbered'),
    )
  }
  // What is hard to say comes last, whatever it says.
  const isHard = ({ score }: SlugSuggestion): number => Number(score < SAYABLE)
  return candidates.sort((a, b) => isHard(a) - isHard(b)).slice(0, MAX_SUGGESTIONS)
}

/** Words worth saying: no filler, no codes ("b0817xk2"), nothing too long for one breath. */
const sayable = (words: readonly string[]): string[] =>
  words.filter(
    (word) => !FILLER.has(word) && word.length <= 16 && !(/\d/.test(word) && word.length > 4) && !/^[b-df-hj-np-tv-z]{4,}$/.test(word),
  )

function lastSegment(url: URL): string {
  const segments = url.pathname.split('/').filter((segment) => segment !== '')
  const readable = segments.reverse().find((segment) => sayable(wordsOf(segment.replace(/\.[a-z0-9]{1,5}$/i, ''))).length > 0)
  try {
    return decodeURIComponent(readable ?? '')
  } catch {
    return readable ?? ''
  }
}
