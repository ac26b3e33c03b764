import { parseUrl } from '../address/index.ts'
import { fail, ok, type Result } from '../result.ts'

/** What may stand in a link template between braces. */
const PLACES = ['account', 'url', 'path', 'sub'] as const
export type Place = (typeof PLACES)[number]

export type TemplateFault =
  | 'template-unclosed'
  | 'template-unknown-placeholder'
  | 'template-places-touch'
  | 'template-without-account'
  | 'template-without-destination'
  | 'template-not-an-address'

/**
 * A place in a piece of text, or an address that the piece holds, itself with places: everything in it is encoded once more.
 * "raw" stands as it is: an address at the very beginning, a path that goes on from a host.
 */
export type TemplatePart =
  | { readonly is: 'text'; readonly text: string }
  | { readonly is: 'place'; readonly name: Place; readonly raw: boolean }
  | { readonly is: 'nested'; readonly template: LinkTemplate }

/** A parameter of a query. Names hold no places. */
export interface TemplateParameter {
  /** As written. */
  readonly name: string
  readonly value: readonly TemplatePart[]
}

/** A link template, taken apart once. */
export interface LinkTemplate {
  /** Everything before "?" and "#". */
  readonly path: readonly TemplatePart[]
  readonly query: readonly TemplateParameter[]
  /** Behind "#"; null for none. */
  readonly fragment: readonly TemplatePart[] | null
}

const PLACEHOLDER = /\{([^{}]*)\}/g
/** How deep addresses may stand in addresses. */
const NESTED_MAX = 3
const TEMPLATE_PLACES_MAX = 12

const isPlace = (name: string): name is Place => PLACES.some((each) => each === name)

/**
 * Reads a link template, such as `https://network.example/c/{account}?to={url}` or `{url}?ref={account}`. Whether an address
 * stands in a parameter, itself percent-encoded or not, is seen: places in it are encoded as often as they have to be.
 * @param allows - "front page": the programme takes no links to other pages, so that the template needs no destination
 */
export function readTemplate(template: string, allows: 'any page' | 'front page' = 'any page'): Result<LinkTemplate, TemplateFault> {
  const bare = template.replaceAll(PLACEHOLDER, '')
  const loose = bare.search(/[{}]/)
  if (loose !== -1) return fail('template-unclosed', { at: template.search(/\{[^{}]*(?:\{|$)|\}(?<!\{[^{}]*\})/) })
  const names = [...template.matchAll(PLACEHOLDER)].map(([, name = '']) => name)
  const unknown = names.find((name) => !isPlace(name))
  if (unknown !== undefined)
    return fail('template-unknown-placeholder', { what: `{${unknown}}`, known: PLACES.map((name) => `{${name}}`).join(' ') })
  if (/\}\{/.test(template) || names.length > TEMPLATE_PLACES_MAX) return fail('template-places-touch', { template })
  if (!names.includes('account')) return fail('template-without-account', { template })
  if (allows === 'any page' && !names.includes('url') && !names.includes('path')) return fail('template-without-destination', { template })
  if (!/^(?:\{url\}|https?:\/\/[^/?#{}\s]+)/i.test(template) || /[\s<>"]/.test(template))
    return fail('template-not-an-address', { template })
  return ok(parse(template, 0))
}

function parse(text: string, depth: number): LinkTemplate {
  const [, path = '', query, fragment] = /^([^?#]*)(?:\?([^#]*))?(?:#(.*))?$/s.exec(text) ?? []
  return {
    path: partsOf(plainStart(path), true),
    query:
      query === undefined
        ? []
        : query
            .split('&')
            .filter((pair) => pair !== '')
            .map((pair) => parameterOf(pair, depth)),
    fragment: fragment === undefined ? null : partsOf(fragment, false),
  }
}

function parameterOf(pair: string, depth: number): TemplateParameter {
  const at = pair.indexOf('=')
  if (at === -1) return { name: pair, value: [] }
  const value = pair.slice(at + 1)
  const inner = innerAddress(value, depth)
  return { name: pair.slice(0, at), value: inner === null ? partsOf(value, false) : [{ is: 'nested', template: parse(inner, depth + 1) }] }
}

/** Scheme and host as an address has them once it is read: lower case, without the port that goes without saying, with a path. */
function plainStart(path: string): string {
  const start = /^https?:\/\/[^/{]+/i.exec(path)?.[0]
  const origin = start === undefined ? null : (parseUrl(start)?.origin ?? null)
  if (start === undefined || origin === null) return path
  return path.length === start.length ? `${origin}/` : origin + path.slice(start.length)
}

/** The address that a value holds beside its places, decoded; null where it holds none. */
function innerAddress(value: string, depth: number): string | null {
  if (!value.includes('{') || depth >= NESTED_MAX) return null
  let decoded = value
  try {
    decoded = decodeURIComponent(value)
  } catch {
    return null
  }
  return /^https?:\/\/[^/?#{}]+/i.test(decoded) || /^\{url\}./.test(decoded) ? decoded : null
}

/** @param isPath - whether addresses and paths may go on as they are there */
function partsOf(text: string, isPath: boolean): TemplatePart[] {
  const parts: TemplatePart[] = []
  let at = 0
  for (const found of text.matchAll(PLACEHOLDER)) {
    const name = found[1] ?? ''
    if (!isPlace(name)) continue
    const before = text.slice(at, found.index)
    if (before !== '') parts.push({ is: 'text', text: before })
    const goesOn = name === 'url' ? found.index === 0 : name === 'path' && /^https?:\/\/[^/]+\/?$/i.test(text.slice(0, found.index))
    parts.push({ is: 'place', name, raw: isPath && goesOn })
    at = found.index + found[0].length
  }
  if (at < text.length) parts.push({ is: 'text', text: text.slice(at) })
  return parts
}
