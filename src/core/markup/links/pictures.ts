import { type Attribute, valueNamed, walkTags } from '../tags/index.ts'
import { type LinkTag, scanLinks } from './links.ts'

/** An `img` of a page. Offsets are of its tag, UTF-16 code units of the source. */
export interface Picture {
  readonly start: number
  readonly nameEnd: number
  readonly end: number
  readonly attributes: readonly Attribute[]
  /** As written; "" when there is none. */
  readonly src: string
  /** Null when there is no `alt` at all; "" says that the picture is decoration. */
  readonly alt: string | null
  /** The link it hangs on. */
  readonly link: LinkTag | null
}

const WANTED: ReadonlySet<string> = new Set(['img'])

/** Every picture of a page in source order. */
export function scanPictures(html: string): readonly Picture[] {
  const found: Picture[] = []
  const links = scanLinks(html).links.filter(({ element }) => element === 'a')
  /** The first link that does not end before the picture: both come in the order of the page. */
  let next = 0
  walkTags(html, {
    wants: WANTED,
    open(name, start, nameEnd, end, inert, foreign, attributes) {
      if (name !== 'img' || inert || foreign) return
      for (let link = links[next]; link !== undefined && link.contentEnd <= start; link = links[next]) next++
      const around = links[next]
      const link = around !== undefined && around.end <= start ? around : null
      found.push({
        start,
        nameEnd,
        end,
        attributes,
        src: valueNamed(html, attributes, 'src') ?? '',
        alt: valueNamed(html, attributes, 'alt'),
        link,
      })
    },
  })
  return found
}
