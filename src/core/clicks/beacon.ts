import { z } from 'zod'

/** Where pages get the script that counts, and what they send it to: on each public host, in front of whatever it answers. */
export const COUNT_SCRIPT_PATH = '/~rope/count.js'
export const COUNT_PATH = '/~rope/count'

/** Largest body of a beacon, in bytes, inclusive: two addresses and little else. */
export const BEACON_MAX_BYTES = 4_096
const ADDRESS_MAX_CHARS = 1_500
/** Of a page's links to one destination, more are counted as this one. */
const NTH_MAX = 99

/** What a page told: that somebody looked at it, or followed one of its links that lead out. */
export interface Beacon {
  readonly kind: 'view' | 'link'
  /** Of the page, without query, as its address has it. */
  readonly path: string
  /** Of a view: host that somebody came from, "" for none. Of a link: where it leads. */
  readonly address: string
  /** Of a link: how many of the page's links to the same address stand before it. */
  readonly nth: number
}

/** No blank, control or half a character could stand in one: it becomes a line of a log, and goes into the database. */
const Place = z
  .string()
  .max(ADDRESS_MAX_CHARS)
  .regex(/^\/[^\s\\\p{Cc}\p{Cs}]*$/u)
const Leads = z
  .string()
  .max(ADDRESS_MAX_CHARS)
  .regex(/^https?:\/\/[^\s\\\p{Cc}\p{Cs}]+$/u)
const Said = z.union([
  z.tuple([z.literal('v'), Place, z.string().max(ADDRESS_MAX_CHARS)]),
  z.tuple([z.literal('o'), Place, Leads, z.int().min(0)]),
])

/** Reads what a page sent. Null for anything else: it comes from whoever likes. Never throws. */
export function readBeacon(text: string): Beacon | null {
  if (text.length > BEACON_MAX_BYTES) return null
  let given: unknown
  try {
    given = JSON.parse(text)
  } catch {
    return null
  }
  const said = Said.safeParse(given)
  if (!said.success) return null
  if (said.data[0] === 'o') {
    const [, path, address, nth] = said.data
    return { kind: 'link', path, address, nth: Math.min(nth, NTH_MAX) }
  }
  const [, path, from] = said.data
  return { kind: 'view', path, address: /^https?:\/\/([^/?#\s\\:@\p{Cc}\p{Cs}]{1,253})/iu.exec(from)?.[1]?.toLowerCase() ?? '', nth: 0 }
}

/**
 * The script. It keeps nothing, changes no address, and does nothing where the browser says no (Global Privacy Control).
 * A page that is loaded ahead of time is counted when it is shown; one that comes back from the browser's memory again.
 */
export const COUNT_SCRIPT = `(()=>{const d=document,n=navigator,l=location;if(n.globalPrivacyControl||!n.sendBeacon)return
const s=(...a)=>n.sendBeacon(${JSON.stringify(COUNT_PATH)},JSON.stringify(a)),v=()=>s("v",l.pathname,d.referrer)
d.prerendering?d.addEventListener("prerenderingchange",v,{once:true}):v()
addEventListener("pageshow",e=>e.persisted&&v())
const o=e=>{const a=e.button<2&&e.target.closest&&e.target.closest("a[href],area[href]")
if(a&&/^https?:$/.test(a.protocol)&&a.host!=l.host)s("o",l.pathname,a.href,[...d.links].filter(x=>x.href==a.href).indexOf(a))}
addEventListener("click",o,true);addEventListener("auxclick",o,true)})()
`

/**
 * The tag that has a page run the script, as it is put at its end; null where the page's own rules would refuse it, which is theirs
 * to say.
 * @param policies - values of Content-Security-Policy headers that the page comes with
 * @see CSP Level 3, "Script directives pre-request check" and "Does url match source list"
 */
export function countingTag(policies: readonly string[]): string | null {
  let nonce = ''
  for (const policy of policies.flatMap((each) => each.split(','))) {
    const directives = new Map(
      policy
        .split(';')
        .map((each) => each.trim().split(/\s+/))
        .map(([name = '', ...sources]) => [name.toLowerCase(), sources] as const)
        .reverse(), // the first of a name counts
    )
    const scripts = directives.get('script-src-elem') ?? directives.get('script-src') ?? directives.get('default-src')
    const sends = directives.get('connect-src') ?? directives.get('default-src')
    if (directives.has('sandbox') && !(directives.get('sandbox') ?? []).includes('allow-scripts')) return null
    if (sends !== undefined && !allowsOwn(sends)) return null
    if (scripts === undefined) continue
    const own = scripts.flatMap((each) => /^'nonce-([A-Za-z0-9+/=_-]+)'$/i.exec(each)?.[1] ?? [])[0]
    if (own !== undefined && (nonce === '' || nonce === own)) nonce = own
    else if (own !== undefined || scripts.includes("'strict-dynamic'") || !allowsOwn(scripts)) return null
  }
  return `<script src="${COUNT_SCRIPT_PATH}" async${nonce === '' ? '' : ` nonce="${nonce}"`}></script>`
}

const allowsOwn = (sources: readonly string[]): boolean =>
  sources.some((each) => each === "'self'" || each === '*' || each === 'https:' || each === 'http:')

/** Tells whether a beginning of markup is a whole page's, and not a piece that another page puts in. @param start - decoded as Latin-1 */
export const isWholePage = (start: string): boolean =>
  /^(?:\s|\ufeff|\xef\xbb\xbf|<!--[\s\S]*?-->|<\?[^>]*>)*<(?:!doctype\s+html|html[\s>])/i.test(start)
