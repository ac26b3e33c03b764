import { lookup as lookupHost } from 'node:dns'
import type { LookupFunction } from 'node:net'
import ipaddr from 'ipaddr.js'

/** An address that nobody may be sent to from here. Its message goes on from "it lies in". */
export class OutOfBounds extends Error {}

const isPrivate = (address: string): boolean => ipaddr.process(address).range() !== 'unicast'

/** Tells whether a host is written as an address of a private network. */
export function isPrivateAddress(host: string): boolean {
  const bare = host.replace(/^\[|\]$/g, '')
  return ipaddr.isValid(bare) && isPrivate(bare)
}

/** Finds a host's address, outside of private networks unless they are allowed. Names below localhost are loopback everywhere, whatever the resolver says (RFC 6761 §6.3). */
export function resolver(mayVisitPrivate: boolean): LookupFunction {
  return (hostname, options, callback) => {
    if (hostname === 'localhost' || hostname.endsWith('.localhost')) {
      if (!mayVisitPrivate) return callback(new OutOfBounds('this machine'), '', 4)
      return options.all === true ? callback(null, [{ address: '127.0.0.1', family: 4 }]) : callback(null, '127.0.0.1', 4)
    }
    lookupHost(hostname, { ...options, all: true }, (error, found) => {
      if (error !== null) return callback(error, '', 4)
      // Checked here, where the connection is made: a name may answer otherwise the second time.
      if (!mayVisitPrivate && found.some(({ address }) => isPrivate(address))) return callback(new OutOfBounds('a private network'), '', 4)
      const [first] = found
      if (options.all === true) return callback(null, found)
      callback(null, first?.address ?? '', first?.family ?? 4)
    })
  }
}
