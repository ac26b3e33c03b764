import { decodeHTMLAttribute } from 'entities'
import { readAttributes, valueNamed, walkTags } from '../tags/index.ts'

const NAMING = /^(?:src|href|poster|data|srcset|imagesrcset|background|xlink:href)$/

/**
 * Every address of another file that a page names: links, pictures, styles, scripts. Decoded, ends trimmed, without
 * repeats, in source order. Addresses in style sheets are not looked for.
 */
export function namedAddresses(html: string): readonly string[] {
  const found = new Set<string>()
  walkTags(html, {
    open(_name, _start, nameEnd, end, inert) {
      if (inert || end - nameEnd < 5) return
      const attributes = readAttributes(html, nameEnd)
      for (const attribute of attributes) {
        if (!NAMING.test(attribute.name)) continue
        const value = valueNamed(html, [attribute], attribute.name) ?? ''
        if (attribute.name.endsWith('srcset')) {
          for (const each of decodeHTMLAttribute(value).split(',')) found.add(each.trim().split(/\s+/)[0] ?? '')
        } else found.add(value.trim())
      }
    },
  })
  found.delete('')
  return [...found]
}
