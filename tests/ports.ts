import { randomInt } from 'node:crypto'
import { createServer } from 'node:net'

/** Ports below those that the system gives to whoever connects somewhere: one that is free stays so until it is listened on. */
const OWN_PORTS = { from: 12_000, to: 32_000 }

/** A port that nobody listens on. */
export async function ownPort(): Promise<number> {
  for (;;) {
    const port = randomInt(OWN_PORTS.from, OWN_PORTS.to)
    if (await isFree(port)) return port
  }
}

/** Whether nobody listens on a port of this machine. */
export function isFree(port: number): Promise<boolean> {
  return new Promise((resolve) => {
    const server = createServer()
    server.once('error', () => resolve(false))
    server.listen(port, '127.0.0.1', () => server.close(() => resolve(true)))
  })
}
