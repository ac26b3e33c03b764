import { parseUrl } from '../address/index.ts'
import { fail, ok, type Result } from '../result.ts'

/** What may stand in a link template. */
const PLACEHOLDERS = ['account', 'url', 'path', 'sub'] as const

export type TemplateFault = 'template-unknown-placeholder' | 'template-without-destination' | 'template-not-an-address'

/**
 * Checks a link template as it is written, such as `https://network.example/c/{account}?to={url}` or `{url}?ref={account}`.
 * It needs `{url}` or `{path}`, or every link would lead to the same place.
 */
export function templateFault(template: string): { readonly fault: TemplateFault; readonly what: string } | null {
  for (const [whole, name] of template.matchAll(/\{([^{}]*)\}/g))
    if (!PLACEHOLDERS.some((each) => each === name)) return { fault: 'template-unknown-placeholder', what: whole }
  if (!/\{(?:url|path)\}/.test(template)) return { fault: 'template-without-destination', what: template }
  const example = partnerLink(template, { account: '1', destination: 'https://shop.example/a?b=c', sub: 's' })
  return example.ok ? null : { fault: 'template-not-an-address', what: template }
}

/**
 * Builds the partner link for one of the partner's pages. At the start of a template `{url}` is the address itself, and a
 * "?" behind it becomes "&" where the address has a query already; elsewhere values are percent-encoded.
 * @param template - "" for partners whose plain addresses count
 */
export function partnerLink(
  template: string,
  { account, destination, sub }: { readonly account: string; readonly destination: string; readonly sub: string },
): Result<string, 'template-not-an-address'> {
  const url = parseUrl(destination)
  if (url === null) return fail('template-not-an-address', { destination })
  if (template === '') return ok(url.href)
  const isPlain = template.startsWith('{url}')
  const hash = isPlain ? url.hash : ''
  const bare = isPlain && hash !== '' ? url.href.slice(0, -hash.length) : url.href
  const rest = (isPlain ? template.slice('{url}'.length) : template)
    .replaceAll('{account}', encodeURIComponent(account))
    .replaceAll('{sub}', encodeURIComponent(sub))
    .replaceAll('{url}', encodeURIComponent(url.href))
    .replaceAll('{path}', encodeURIComponent(url.pathname + url.search))
  const joined = isPlain ? bare + (url.search !== '' && rest.startsWith('?') ? `&${rest.slice(1)}` : rest) + hash : rest
  const built = parseUrl(joined)
  return built === null || !/^https?:$/.test(built.protocol) ? fail('template-not-an-address', { built: joined }) : ok(built.href)
}

/** Tells whether an address carries the account number already: in its query or as a part of its path. */
export function carriesAccount(address: string, account: string): boolean {
  const url = parseUrl(address)
  if (url === null || account === '') return false
  return [...url.searchParams.values()].includes(account) || url.pathname.split('/').includes(account)
}
