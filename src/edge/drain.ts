import type { Server } from 'node:http'
import type { Duplex } from 'node:stream'

/** What is being answered when a process is told to stop has this long. */
const DRAIN_MS = 10_000
const LOOK_MS = 50

/**
 * Takes no more connections, and settles once everything that is being answered is finished, or has had its time.
 * @param tunnels - connections that became another protocol: they have no end of their own, and are closed
 */
export function drain(server: Server, tunnels: Iterable<Duplex> = []): Promise<void> {
  for (const tunnel of tunnels) tunnel.destroy()
  return new Promise((resolve) => {
    const looking = setInterval(() => server.closeIdleConnections(), LOOK_MS)
    const cutOff = setTimeout(() => server.closeAllConnections(), DRAIN_MS)
    server.close(() => {
      clearInterval(looking)
      clearTimeout(cutOff)
      resolve()
    })
    server.closeIdleConnections()
  })
}
