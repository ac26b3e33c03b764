import { parseUrl } from '../address/index.ts'
import { scanLinks, shownPlaces, walkTags } from '../markup/index.ts'

/** A link with the words it shows. */
export interface WordedLink {
  readonly text: string
  readonly href: string
  /** Absolute, for comparing; null for what is no address. */
  readonly address: string | null
  readonly showsPicture: boolean
}

/** What a careful editor would say about a link's words. */
export type Advice =
  /** The words are the address itself. */
  | { readonly what: 'bare address' }
  /** "Click here" and its kin: read alone they say nothing. */
  | { readonly what: 'says nothing' }
  /** The same words lead elsewhere on this page; the numbers of those links. */
  | { readonly what: 'same words'; readonly others: readonly number[] }
  | { readonly what: 'no words' }

/** Words that tell a reader nothing about where a link leads, in the languages our first users write. */
const EMPTY_WORDS = new Set(
  [
    'click here,click,click this,here,this,this link,this page,link,the link,read more,more,learn more,more info,more information,find out more,see more,go,go here,details,website,page,continue,continue reading,see here,check it out,check this out,download',
    'hier,hier klicken,klicken sie hier,mehr,mehr lesen,weiterlesen,mehr erfahren,dieser link,link',
    'ici,cliquez ici,lire la suite,en savoir plus,plus',
    'aquí,haz clic aquí,leer más,más,ver más',
    'qui,clicca qui,leggi tutto,continua',
  ]
    .join(',')
    .split(','),
)

const bare = (text: string): string =>
  text
    .toLowerCase()
    .replace(/[\s\u00a0]+/g, ' ')
    .replace(/^[\s»>→.…!:()[\]"“”'’]+|[\s»>→.…!:()[\]"“”'’]+$/g, '')

/** Tells whether words say nothing of where they lead ("click here"), in the languages our first users write. */
export const saysLittle = (text: string): boolean => EMPTY_WORDS.has(bare(text))

/** Advice by number of the link, for those that need any. */
export function anchorAdvice(links: readonly WordedLink[]): ReadonlyMap<number, readonly Advice[]> {
  const found = new Map<number, Advice[]>()
  const add = (i: number, advice: Advice): void => void found.set(i, [...(found.get(i) ?? []), advice])
  const byWords = new Map<string, number[]>()
  links.forEach((link, i) => {
    const words = bare(link.text)
    if (words === '') add(i, { what: 'no words' })
    else if (!link.showsPicture) {
      if (isBareAddress(link.text)) add(i, { what: 'bare address' })
      else if (EMPTY_WORDS.has(words)) add(i, { what: 'says nothing' })
      byWords.set(words, [...(byWords.get(words) ?? []), i])
    }
  })
  for (const same of byWords.values()) {
    if (new Set(same.map((i) => links[i]?.address ?? links[i]?.href)).size < 2) continue
    for (const i of same) add(i, { what: 'same words', others: same.filter((j) => j !== i && links[j]?.address !== links[i]?.address) })
  }
  return found
}

/** Tells whether words are an address written out. */
export function isBareAddress(text: string): boolean {
  const words = text.trim()
  if (/\s/.test(words)) return false
  if (/^https?:\/\/\S+$/i.test(words)) return parseUrl(words) !== null
  return /^www\.[^\s/]+\.[a-z]{2,}/i.test(words)
}

/** An address that stands in a text and is no link. Offsets are of the source. */
export interface WrittenAddress {
  readonly from: number
  readonly to: number
  readonly words: string
}

/**
 * Addresses that readers see and cannot click: written out in the text, outside of links.
 * @param most - how many are looked for
 */
export function writtenAddresses(html: string, most: number): readonly WrittenAddress[] {
  const found: WrittenAddress[] = []
  const { links } = scanLinks(html)
  let next = 0
  walkTags(html, {
    text(start, end, inert) {
      if (inert || found.length >= most) return
      while (next < links.length && (links[next]?.outerEnd ?? 0) <= start) next++
      if ((links[next]?.start ?? end) < start) return
      const raw = html.slice(start, end)
      if (!/:\/\/|www\./i.test(raw)) return
      const places = shownPlaces(raw)
      for (const hit of raw.matchAll(/(?:https?:\/\/|\bwww\.)[^\s<>"“”]+/gi)) {
        const words = hit[0].replace(/[.,;:!?)\]’']+$/, '')
        if (found.length >= most || !isBareAddress(words) || !places.includes(hit.index)) continue
        found.push({ from: start + hit.index, to: start + hit.index + words.length, words })
      }
    },
  })
  return found
}
