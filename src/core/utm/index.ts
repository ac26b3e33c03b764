import { parseUrl } from '../address/index.ts'

/** Parameters by which statistics tell visitors of one campaign from others, in the order they are written. */
export const UTM_NAMES = ['utm_source', 'utm_medium', 'utm_campaign', 'utm_term', 'utm_content'] as const
export type UtmName = (typeof UTM_NAMES)[number]
/** What is written into them; "" or left out for none. */
export type Utm = { readonly [N in UtmName]?: string }

/** Longest value, inclusive. */
export const UTM_MAX_CHARS = 100

/** What an address says in its UTM parameters; empty where it is none, or says nothing. */
export function utmOf(address: string): Utm {
  const query = parseUrl(address)?.searchParams
  return Object.fromEntries(UTM_NAMES.flatMap((name) => (query?.get(name) ? [[name, query.get(name) ?? '']] : [])))
}

/**
 * Writes UTM parameters into an address: each once, behind what else its query says, which stays as it is written.
 * @param utm - "" takes a parameter away; one that is left out stays as it is
 * @returns the address itself where nothing changes, or where it is none
 */
export function withUtm(address: string, utm: Utm): string {
  const url = parseUrl(address)
  if (url === null) return address
  const given = Object.entries(utm) as [UtmName, string][]
  if (given.every(([name, value]) => (url.searchParams.get(name) ?? '') === value)) return address
  const names = new Set(given.map(([name]) => name))
  const kept = url.search
    .slice(1)
    .split('&')
    .filter((pair) => pair !== '' && !names.has(pair.split('=', 1)[0] as UtmName))
  const own = UTM_NAMES.flatMap((name) => (utm[name] ? [`${name}=${encodeURIComponent(utm[name])}`] : []))
  url.search = [...kept, ...own].join('&')
  return url.href
}

/** What two spellings of one value have in common: statistics take "E-Mail", "email" and "e_mail" for three. */
const sameness = (value: string): string => value.toLowerCase().replace(/[\s_\-.+]+/g, '')

/** The spelling that a site usually writes, where another one is typed; null where it is the usual one, or new. @param known - the most used first */
export function usualSpelling(value: string, known: readonly string[]): string | null {
  if (value === '' || known.includes(value)) {
    const first = known.find((each) => sameness(each) === sameness(value))
    return first === undefined || first === value ? null : first
  }
  return known.find((each) => sameness(each) === sameness(value)) ?? null
}
