import { normalise, parseUrl } from '../address/index.ts'

/** An address that can be visited. */
export interface LeadsTo {
  /** As addresses are compared, without the name of a section. */
  readonly address: string
  /** Host and port, as they are asked. */
  readonly host: string
  /** The section of the page that is meant; null for the page. */
  readonly section: string | null
}

/** Longer addresses are never asked for: many a server refuses them. */
const ADDRESS_MAX_CHARS = 8_000

/**
 * Where an address can be visited. Two that count as one are visited as one.
 * @param base - absolute; needed for relative addresses
 * @returns null for mail, phone and all that no web server answers
 */
export function leadsTo(address: string, base?: string): LeadsTo | null {
  const url = parseUrl(address, base)
  if (url === null || !/^https?:$/.test(url.protocol) || url.href.length > ADDRESS_MAX_CHARS) return null
  const section = sectionOf(url.hash)
  url.hash = ''
  url.username = ''
  url.password = ''
  const compared = normalise(url.href)
  return compared === null ? null : { address: compared, host: url.host, section }
}

/** Fragments that name nothing of the page: its top (HTML, "select the indicated part"), and what scripts and text searches read. */
function sectionOf(hash: string): string | null {
  const name = hash.slice(1)
  if (name === '' || name.toLowerCase() === 'top' || /^[!/]|:~:|=/.test(name)) return null
  try {
    return decodeURIComponent(name)
  } catch {
    return name
  }
}
