import { decodeHTML } from 'entities'
import { applyPatches, type Patch } from '../bytes/index.ts'
import { attributeValue, escapeAttribute, readAttributes, valueNamed, walkTags } from '../tags/index.ts'
import { pastUnshownLineEnd } from './edit.ts'

/**
 * A page as it is put into a frame: with a base address, so that its pictures and styles are found. Scripts stay in the
 * text: the frame's security policy keeps them off. A page that would send its reader elsewhere stays where it is.
 * @param base - absolute address of the page
 * @param loads - attributes of an element that load something, and where that is loaded from instead
 */
export function shownPage(
  html: string,
  base: string,
  loads?: { readonly names: (element: string) => readonly string[]; readonly at: (address: string) => string },
): string {
  const patches: Patch[] = []
  let headAt: number | null = null
  let isHeadOpen = true
  walkTags(html, {
    open(name, start, nameEnd, end, inert) {
      if (isHeadOpen && (name === 'html' || name === 'head')) headAt = end
      else if (headAt === null) headAt = start
      if (name !== 'html') isHeadOpen = false
      const names = inert ? [] : (loads?.names(name) ?? [])
      if (names.length > 0) patches.push(...loadedElsewhere(html, nameEnd, names, (address) => loads?.at(address) ?? address))
      if (!inert && name === 'meta' && /^refresh$/i.test(valueNamed(html, readAttributes(html, nameEnd), 'http-equiv') ?? '')) {
        patches.push({ from: start, to: end, insert: '' })
      }
    },
    text(start, end) {
      if (headAt === null && html.slice(start, end).trim() !== '') headAt = start
    },
  })
  const at = headAt ?? html.length
  patches.push({ from: at, to: at, insert: `<base href="${escapeAttribute(base)}">` })
  return applyPatches(
    html,
    patches.sort((a, b) => a.from - b.from || a.to - b.to),
  )
}

function loadedElsewhere(html: string, nameEnd: number, names: readonly string[], at: (address: string) => string): Patch[] {
  return readAttributes(html, nameEnd).flatMap((attribute) => {
    const address = names.includes(attribute.name) ? attributeValue(html, attribute).trim() : ''
    const there = address === '' ? address : at(address)
    return there === address ? [] : [{ from: attribute.nameEnd, to: attribute.end, insert: `="${escapeAttribute(there)}"` }]
  })
}

/**
 * Finds the source offset for a place in the text that a browser shows for one run.
 * @param runStart - source offset of the run
 * @param shown - how many UTF-16 code units of the shown text lie before the place
 */
export function sourceOffset(html: string, runStart: number, shown: number): number {
  let i = runStart
  let seen = 0
  while (seen < shown && i < html.length) {
    const c = html.charAt(i)
    if (c === '\r' && html.charAt(i + 1) === '\n') {
      i += 2
      seen += 1
    } else if (c === '&') {
      const [length, decoded] = reference(html, i)
      i += length
      seen += decoded
    } else {
      if (c !== '\0') seen += 1 // NUL is dropped from body text
      i += 1
    }
  }
  return i
}

/** The source offset of every code unit that a text run shows, and of its end. */
export function shownPlaces(raw: string): readonly number[] {
  const places: number[] = []
  for (let i = 0; i < raw.length; ) {
    const c = raw.charCodeAt(i)
    if (c === 0x26) {
      const [length, decoded] = reference(raw, i)
      for (let unit = 0; unit < decoded; unit++) places.push(i)
      i += length
    } else if (c === 0x0d && raw.charCodeAt(i + 1) === 0x0a) {
      places.push(i)
      i += 2
    } else {
      if (c !== 0) places.push(i) // NUL is dropped from body text
      i++
    }
  }
  places.push(raw.length)
  return places
}

/** Length of the character reference at `at` in the source and of what it stands for; [1, 1] for a lone "&". */
function reference(html: string, at: number): [number, number] {
  const found = /^&(?:#x[0-9a-f]+;?|#\d+;?|[a-z][a-z0-9]*;?)/i.exec(html.slice(at, at + 40))?.[0]
  if (found === undefined) return [1, 1]
  const decoded = decodeHTML(found)
  if (decoded === found) return [1, 1]
  // "&notit;" stands for "¬it;": what stayed as it was is no part of the reference. "&semi;" stands for ";" alone.
  let tail = 0
  while (tail < decoded.length - 1 && found.at(-1 - tail) === decoded.at(-1 - tail)) tail++
  return [found.length - tail, decoded.length - tail]
}

/** Words found in the text of a page. Offsets are of the source. */
export interface FoundWords {
  readonly from: number
  readonly to: number
}

/**
 * Finds words as a reader sees them, within single text runs, without regard to case.
 * @param most - how many places are looked for at most
 */
export function findWords(html: string, words: string, most: number): readonly FoundWords[] {
  const wanted = words.toLowerCase()
  const found: FoundWords[] = []
  if (wanted.trim() === '') return found
  walkTags(html, {
    text(start, end, inert) {
      if (inert || found.length >= most) return
      const run = pastUnshownLineEnd(html, start)
      const shownText = decodeHTML(html.slice(run, end).replace(/\r\n?/g, '\n').replaceAll('\0', '')).toLowerCase()
      for (let at = shownText.indexOf(wanted); at !== -1 && found.length < most; at = shownText.indexOf(wanted, at + 1)) {
        found.push({ from: sourceOffset(html, run, at), to: sourceOffset(html, run, at + wanted.length) })
      }
    },
  })
  return found
}
