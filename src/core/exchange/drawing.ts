import { XMLParser, XMLValidator } from 'fast-xml-parser'
import { type Told, tell } from '../../words/index.ts'

/** Larger drawings than this are pictures of another kind. */
export const DRAWING_MAX_CHARS = 5_000_000
/** Deeper than any drawing program nests its groups. */
const DEPTH_MAX = 200

const SVG = 'http://www.w3.org/2000/svg'
/** Namespaces whose elements a browser acts on; those of drawing programs (settings, metadata) do nothing in one. */
const ACTS = new Set(['', 'http://www.w3.org/1999/xhtml', 'http://www.w3.org/1998/Math/MathML', 'http://www.w3.org/1999/XSL/Transform'])

/** What SVG 2 draws with. Scripts, HTML inside, handlers, and what loads other documents are not among it. */
const ELEMENTS = new Set(
  (
    'svg g defs symbol use switch desc title metadata style a view image path rect circle ellipse line polyline polygon text tspan textPath tref ' +
    'marker pattern mask clipPath linearGradient radialGradient stop filter feBlend feColorMatrix feComponentTransfer feComposite ' +
    'feConvolveMatrix feDiffuseLighting feDisplacementMap feDistantLight feDropShadow feFlood feFuncA feFuncB feFuncG feFuncR feGaussianBlur ' +
    'feImage feMerge feMergeNode feMorphology feOffset fePointLight feSpecularLighting feSpotLight feTile feTurbulence ' +
    'animate animateMotion animateTransform mpath set'
  ).split(' '),
)
const ANIMATES = new Set(['animate', 'animateMotion', 'animateTransform', 'set'])
/** Where a drawing may lead or take pictures from: itself, the site, the web; and pictures that stand in it. */
const ADDRESS = /^(?:#|https?:|\/|\.{0,2}\/|[a-z0-9_-]+(?:[./?#]|$)|data:image\/(?:png|jpe?g|gif|webp);base64,)/i

/** One node as the parser gives it: its name with its children, attributes beside them at ":@". */
type Node = Readonly<Record<string, unknown>>

const parser = new XMLParser({
  preserveOrder: true,
  ignoreAttributes: false,
  attributeNamePrefix: '',
  parseTagValue: false,
  parseAttributeValue: false,
  processEntities: false,
  ignorePiTags: false,
})

/**
 * Why a drawing (SVG) is not taken, to go on from "this drawing"; null for one that only draws. Read as XML, by
 * namespaces, so that a prefix hides nothing; what is not known to draw is refused.
 * @see SVG 2, and XML Namespaces 1.0 §6
 */
export function drawingFault(text: string): Told | null {
  if (text.length > DRAWING_MAX_CHARS) return tell('drawing.too-long', { millions: DRAWING_MAX_CHARS / 1_000_000 })
  if (/<!(?:ENTITY|DOCTYPE[^>]*\[)/i.test(text)) return tell('drawing.definitions')
  if (XMLValidator.validate(text) !== true) return tell('drawing.unreadable')
  let root: readonly Node[]
  try {
    root = parser.parse(text) as readonly Node[]
  } catch {
    return tell('drawing.unreadable')
  }
  const open: { nodes: readonly Node[]; spaces: ReadonlyMap<string, string>; depth: number }[] = [
    { nodes: root, spaces: new Map([['', '']]), depth: 0 },
  ]
  let drawings = 0
  for (let level = open.pop(); level !== undefined; level = open.pop()) {
    if (level.depth > DEPTH_MAX) return tell('drawing.too-deep', { most: DEPTH_MAX })
    for (const node of level.nodes) {
      const name = Object.keys(node).find((key) => key !== ':@') ?? '#text'
      if (name === '#text' || name === '#comment' || name === '?xml') continue
      if (name.startsWith('?')) return tell('drawing.asks-for', { name: name.slice(1) })
      const attributes = (node[':@'] ?? {}) as Readonly<Record<string, string>>
      const spaces = spacesIn(level.spaces, attributes)
      const { space, local } = nameIn(spaces, name)
      if (space !== SVG && ACTS.has(space)) return tell('drawing.does-not-draw', { name })
      if (space === SVG) {
        if (!ELEMENTS.has(local)) return tell('drawing.does-not-only-draw', { name })
        if (local === 'svg') drawings++
        const fault = attributeFault(local, attributes)
        if (fault !== null) return fault
      }
      const children = node[name]
      if (Array.isArray(children)) open.push({ nodes: children as readonly Node[], spaces, depth: level.depth + 1 })
    }
  }
  return drawings === 0 ? tell('drawing.no-svg') : null
}

function spacesIn(outer: ReadonlyMap<string, string>, attributes: Readonly<Record<string, string>>): ReadonlyMap<string, string> {
  let spaces: Map<string, string> | null = null
  for (const [name, value] of Object.entries(attributes)) {
    if (name !== 'xmlns' && !name.startsWith('xmlns:')) continue
    spaces ??= new Map(outer)
    spaces.set(name === 'xmlns' ? '' : name.slice('xmlns:'.length), plain(value).trim())
  }
  return spaces ?? outer
}

function nameIn(spaces: ReadonlyMap<string, string>, name: string): { space: string; local: string } {
  const colon = name.indexOf(':')
  // A prefix that nobody declared makes the document unreadable for a browser; here it counts as one that acts.
  return colon === -1
    ? { space: spaces.get('') ?? '', local: name }
    : { space: spaces.get(name.slice(0, colon)) ?? '', local: name.slice(colon + 1) }
}

function attributeFault(element: string, attributes: Readonly<Record<string, string>>): Told | null {
  for (const [name, written] of Object.entries(attributes)) {
    const local = name.slice(name.indexOf(':') + 1).toLowerCase()
    const value = plain(written)
    if (local.startsWith('on')) return tell('drawing.runs', { name })
    if ((local === 'href' || local === 'src') && !ADDRESS.test(value.trim()))
      return tell('drawing.leads-to', { to: value.trim().slice(0, 40) })
    if (ANIMATES.has(element) && local === 'attributename' && /^(?:.*:)?(?:href|on.*)$/i.test(value.trim())) return tell('drawing.changes')
  }
  return null
}

/** A value without its character references; named ones of XML alone, since a drawing may define none. */
const plain = (value: string): string =>
  value
    .replace(/&#(?:x([0-9a-f]{1,6})|(\d{1,7}));/gi, (whole, hex: string | undefined, decimal: string | undefined) => {
      const code = hex === undefined ? Number(decimal) : Number.parseInt(hex, 16)
      return code <= 0x10ffff ? String.fromCodePoint(code) : whole
    })
    .replaceAll('&lt;', '<')
    .replaceAll('&gt;', '>')
    .replaceAll('&quot;', '"')
    .replaceAll('&apos;', "'")
    .replaceAll('&amp;', '&')
    // Browsers pass over these within an address (WHATWG URL).
    .replace(/[\t\n\r]/g, '')
