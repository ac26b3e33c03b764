import { lookup as lookupHost } from 'node:dns'
import type { LookupFunction } from 'node:net'
import { bareHost, type InsideAllowed, isInsideAddress, isOutOfBounds, isThisMachine } from '../core/address/index.ts'

/** An address that nobody may be sent to from here. */
export class OutOfBounds extends Error {
  readonly place: 'this-machine' | 'private-network'

  constructor(place: OutOfBounds['place']) {
    super(`out of bounds: ${place}`)
    this.place = place
  }
}

/** Finds a host's address, outside of private networks but for those that are allowed. */
export function resolver(allowed: InsideAllowed): LookupFunction {
  return (hostname, options, callback) => {
    const host = bareHost(hostname)
    if (isThisMachine(host)) {
      if (isOutOfBounds(host, allowed)) return callback(new OutOfBounds('this-machine'), '', 4)
      return options.all === true ? callback(null, [{ address: '127.0.0.1', family: 4 }]) : callback(null, '127.0.0.1', 4)
    }
    lookupHost(hostname, { ...options, all: true }, (error, found) => {
      if (error !== null) return callback(error, '', 4)
      // Checked here, where the connection is made: a name may answer otherwise the second time.
      if (found.some(({ address }) => isInsideAddress(host, address, allowed))) return callback(new OutOfBounds('private-network'), '', 4)
      const [first] = found
      if (options.all === true) return callback(null, found)
      callback(null, first?.address ?? '', first?.family ?? 4)
    })
  }
}
