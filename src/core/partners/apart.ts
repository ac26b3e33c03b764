import { parseUrl } from '../address/index.ts'
import { decoded, goesOn, isSubAlone, nameOf, queryPairs } from './fill.ts'
import type { LinkTemplate, Place, TemplatePart } from './template.ts'

/** What a partner link was built from. */
export interface LinkApart {
  readonly destination: string
  readonly account: string
  /** "" for none. */
  readonly sub: string
}

type Caught = Partial<Record<Place, string>>

/**
 * Takes a partner link apart that was built from a template, by whomever.
 * @param account - only links with this number are meant; null for any
 * @param home - origin of the partner's site, for templates that hold a path alone
 * @returns null where the address was not built from it. Never throws.
 */
export function takeApart(
  template: LinkTemplate,
  address: string,
  { account, home }: { account: string | null; home: string },
): LinkApart | null {
  const url = parseUrl(address)
  if (url === null) return null
  const caught = matchAddress(template, url, account)
  if (caught === null || caught.account === undefined || caught.account === '') return null
  const destination = parseUrl(caught.url ?? (caught.path === undefined ? home : home + caught.path))
  return destination === null ? null : { destination: destination.href, account: caught.account, sub: caught.sub ?? '' }
}

function matchAddress(template: LinkTemplate, url: URL, account: string | null): Caught | null {
  const isOpen = goesOn(template)
  const caught: Caught = {}
  const path = matchParts(template.path, url.origin + url.pathname, account, false)
  if (path === null) return null
  Object.assign(caught, path)
  let pairs = queryPairs(url.search)
  for (const { name, value } of template.query) {
    const wanted = decoded(name)
    const at = pairs.findIndex((pair) => decoded(nameOf(pair)) === wanted)
    const text = at === -1 ? null : (pairs[at]?.slice(nameOf(pairs[at] ?? '').length + 1) ?? '')
    if (text === null && isSubAlone(value)) continue
    const found = text === null ? null : matchValue(value, text, account)
    if (found === null) return null
    Object.assign(caught, found)
    pairs = pairs.filter((_, i) => i !== at)
  }
  if (template.fragment !== null) {
    const found = matchValue(template.fragment, url.hash.slice(1), account)
    if (found === null) return null
    Object.assign(caught, found)
  }
  if (!isOpen) return caught
  const rest = `${pairs.length === 0 ? '' : `?${pairs.join('&')}`}${template.fragment === null ? url.hash : ''}`
  if (caught.url !== undefined) caught.url += rest
  if (caught.path !== undefined) caught.path = (caught.path.startsWith('/') ? '' : '/') + caught.path + rest
  return caught
}

function matchValue(value: readonly TemplatePart[], text: string, account: string | null): Caught | null {
  const [first] = value
  if (first?.is !== 'nested') return matchParts(value, text, account, true)
  const inner = parseUrl(decoded(text))
  return inner === null ? null : matchAddress(first.template, inner, account)
}

/** What stands at each place of a text. Texts between places are found from the left, the one at the end from the right: linear. */
function matchParts(parts: readonly TemplatePart[], text: string, account: string | null, isQuery: boolean): Caught | null {
  const caught: Caught = {}
  const own = account === null ? null : encodeURIComponent(account)
  const pieces = parts.map((part) =>
    part.is === 'place' && part.name === 'account' && own !== null ? { is: 'text' as const, text: own } : part,
  )
  if (own !== null && parts.some((part) => part.is === 'place' && part.name === 'account')) caught.account = account ?? ''
  let at = 0
  for (let i = 0; i < pieces.length; i++) {
    const piece = pieces[i]
    if (piece === undefined || piece.is === 'nested') return null
    if (piece.is === 'text') {
      if (!text.startsWith(piece.text, at)) return null
      at += piece.text.length
      continue
    }
    // Texts that follow one another are one: an account between two of them is text as well.
    let next = ''
    let j = i + 1
    for (; pieces[j]?.is === 'text'; j++) next += (pieces[j] as { text: string }).text
    const end =
      next === '' ? text.length : j === pieces.length ? (text.endsWith(next) ? text.length - next.length : -1) : text.indexOf(next, at + 1)
    if (end < at) return null
    const found = text.slice(at, end)
    const isAsItIs = piece.raw
    caught[piece.name] ??= isAsItIs ? found : isQuery ? decoded(found) : decodedPath(found)
    at = end
  }
  return at === text.length ? caught : null
}

function decodedPath(text: string): string {
  try {
    return decodeURIComponent(text)
  } catch {
    return text
  }
}
