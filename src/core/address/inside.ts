import ipaddr from 'ipaddr.js'

/** Addresses inside one's own network that may be asked all the same: hosts, addresses, and ranges such as "10.0.0.0/8". */
export type InsideAllowed = readonly string[]

/** All of them. */
export const ALL_INSIDE: InsideAllowed = ['0.0.0.0/0', '::/0']

/** Unicast that is routed between networks: of IPv6 so far 2000::/3 alone (RFC 4291 §2.4), so that addresses of IPv4 in other clothes are not. */
const GLOBAL_V6 = ipaddr.IPv6.parseCIDR('2000::/3')
function isPrivate(address: string): boolean {
  const read = ipaddr.process(address)
  return read.range() !== 'unicast' || (read instanceof ipaddr.IPv6 && !read.match(GLOBAL_V6))
}

/** As it is written in an address, without the brackets of IPv6. */
export const bareHost = (host: string): string => host.replace(/^\[|\]$/g, '').toLowerCase()

/** Whether an entry of {@link InsideAllowed} can be read: an address or a range, or the name of a host. */
export const isInsideEntry = (entry: string): boolean =>
  ipaddr.isValid(entry) || ipaddr.isValidCIDR(entry) || /^(?=.{1,253}$)[a-z0-9](?:[a-z0-9.-]*[a-z0-9])?$/.test(entry)

/** Names below localhost are loopback everywhere, whatever the resolver says (RFC 6761 §6.3). */
export const isThisMachine = (host: string): boolean => host === 'localhost' || host.endsWith('.localhost')

/**
 * Whether an address lies inside a private network and is not among those allowed.
 * @param host - bare; by which it was asked for
 * @param address - that it was found at
 */
export function isInsideAddress(host: string, address: string, allowed: InsideAllowed): boolean {
  if (!isPrivate(address)) return false
  return !allowed.some((entry) => {
    if (entry === host || entry === address) return true
    if (!ipaddr.isValidCIDR(entry)) return false
    const [base, bits] = ipaddr.parseCIDR(entry)
    const read = ipaddr.process(address)
    return read.kind() === base.kind() && read.match(base, bits)
  })
}

/** Whether a host is written as an address inside a private network, or named as this machine, and is not among those allowed. */
export function isOutOfBounds(host: string, allowed: InsideAllowed = []): boolean {
  const bare = bareHost(host)
  if (isThisMachine(bare)) return isInsideAddress(bare, '127.0.0.1', allowed)
  return ipaddr.isValid(bare) && isInsideAddress(bare, bare, allowed)
}
