import { parseUrl } from '../address/index.ts'
import { fail, ok, type Result } from '../result.ts'
import type { LinkTemplate, TemplatePart } from './template.ts'

/** Of one place in a template: where it stands decides how often it is encoded. */
interface Filling {
  readonly facts: LinkFacts
  readonly url: URL
}

/** What goes into a template. */
export interface LinkFacts {
  readonly account: string
  /** Absolute. */
  readonly destination: string
  /** "" for none: a parameter that holds it alone is then left out. */
  readonly sub: string
}

/**
 * Builds the partner link for one of the partner's pages. The page's own query and fragment stay; parameters that the template
 * sets are not doubled: the template's take their place.
 * @returns the address; a fault where the destination is none or what comes of it is none
 */
export function buildLink(template: LinkTemplate, facts: LinkFacts): Result<string, 'template-not-an-address'> {
  const url = parseUrl(facts.destination)
  if (url === null || !/^https?:$/.test(url.protocol)) return fail('template-not-an-address', { destination: facts.destination })
  const built = filled(template, { facts, url })
  const whole = parseUrl(built)
  return whole === null || !/^https?:$/.test(whole.protocol) ? fail('template-not-an-address', { built }) : ok(whole.href)
}

/** Whether a page's address goes on in the template as it is, with its own query and fragment. */
export const goesOn = ({ path }: LinkTemplate): boolean => path.some((part) => part.is === 'place' && part.raw)

function filled(template: LinkTemplate, filling: Filling): string {
  const { url } = filling
  const isOpen = goesOn(template)
  let path = ''
  // A host with its slash, and a path that begins with one, have one slash between them.
  for (const part of template.path)
    path += part.is === 'place' && part.name === 'path' && part.raw ? url.pathname.slice(path.endsWith('/') ? 1 : 0) : textAt(part, filling)
  const own = new Set(template.query.map(({ name }) => decoded(name)))
  const kept = isOpen ? queryPairs(url.search).filter((pair) => !own.has(decoded(nameOf(pair)))) : []
  const set = template.query.flatMap(({ name, value }) => {
    if (value.length === 0) return [name]
    const text = value.map((part) => textAt(part, filling)).join('')
    return text === '' && isSubAlone(value) ? [] : [`${name}=${text}`]
  })
  const query = [...kept, ...set].join('&')
  const fragment =
    template.fragment !== null ? `#${template.fragment.map((part) => textAt(part, filling)).join('')}` : isOpen ? url.hash : ''
  return `${path}${query === '' ? '' : `?${query}`}${fragment}`
}

/** A parameter that holds nothing but a sub-ID is left out where there is none. */
export const isSubAlone = (value: readonly TemplatePart[]): boolean =>
  value.length === 1 && value[0]?.is === 'place' && value[0].name === 'sub'

function textAt(part: TemplatePart, filling: Filling): string {
  if (part.is === 'text') return part.text
  if (part.is === 'nested') return encodeURIComponent(filled(part.template, filling))
  const { facts, url } = filling
  if (part.name === 'account') return encodeURIComponent(facts.account)
  if (part.name === 'sub') return encodeURIComponent(facts.sub)
  if (part.name === 'url') return part.raw ? url.origin + url.pathname : encodeURIComponent(url.href)
  return encodeURIComponent(url.pathname + url.search + url.hash)
}

export const queryPairs = (search: string): string[] =>
  search
    .replace(/^\?/, '')
    .split('&')
    .filter((pair) => pair !== '')
export const nameOf = (pair: string): string => pair.split('=', 1)[0] ?? ''

/** As a form reads it (WHATWG URL, "application/x-www-form-urlencoded parsing"); as it stands where it is no UTF-8. */
export function decoded(text: string): string {
  try {
    return decodeURIComponent(text.replaceAll('+', ' '))
  } catch {
    return text
  }
}
