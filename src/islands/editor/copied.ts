import { applyPatches, type LinkTag, scanLinks, setLink, valueNamed } from '../../core/markup/index.ts'
import { BY_HAND } from '../../core/rules/index.ts'

const KEY = 'map-rope-copied'
/** More hand-set links than anybody copies at once; the rest come back without their marks. */
const REMEMBERED_MAX = 500

/** Links with a mark, each with what tells it from others. */
const handSetIn = (html: string): readonly { readonly link: LinkTag; readonly sign: string }[] =>
  scanLinks(html).links.flatMap((link) => {
    const byHand = valueNamed(html, link.attributes, BY_HAND)
    return byHand === null ? [] : [{ link, sign: JSON.stringify([link.href, link.rel, link.target, byHand]) }]
  })

/** Remembers, for all tabs of the studio, which links of what was copied here are hand-set. */
export function rememberCopied(html: string, storage: Pick<Storage, 'setItem'>): void {
  const signs = handSetIn(html).map(({ sign }) => sign)
  try {
    storage.setItem(KEY, JSON.stringify(signs.slice(0, REMEMBERED_MAX)))
  } catch {
    // No room there: what is pasted comes back without its marks.
  }
}

/** A piece that was pasted, without marks that say "set by hand" and are not those of what was copied here last. */
export function withoutForeignMarks(html: string, storage: Pick<Storage, 'getItem'>): string {
  const marked = handSetIn(html)
  if (marked.length === 0) return html
  const own = new Set(JSON.parse(storage.getItem(KEY) ?? '[]') as readonly string[])
  const patches = marked
    .filter(({ sign }) => !own.has(sign))
    .flatMap(({ link }) => {
      const without = setLink(html, link.start, { [BY_HAND]: null })
      return without.ok ? without.value : []
    })
  return applyPatches(html, patches)
}
