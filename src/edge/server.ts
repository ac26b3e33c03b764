import { type RequestListener, Server, type ServerOptions } from 'node:http'
import type { Socket } from 'node:net'
import { type Quick, QuickConnection } from './quick.ts'
import type { EdgeRequest } from './request.ts'

/**
 * Node's server with a quick way in front of it: each connection begins there, and is handed over to Node's own parser at the
 * first request that is not answered at once.
 */
export class EdgeServer extends Server<typeof EdgeRequest> {
  readonly #quick = new Map<Socket, QuickConnection>()

  constructor(
    options: ServerOptions<typeof EdgeRequest> & { headersTimeout: number; keepAliveTimeout: number },
    onRequest: RequestListener<typeof EdgeRequest>,
    quick: Quick | null,
  ) {
    super(options, onRequest)
    if (quick === null) return
    const full = this.listeners('connection') as ((socket: Socket) => void)[]
    this.removeAllListeners('connection')
    this.on('connection', (socket) => {
      const connection = new QuickConnection(socket, {
        quick,
        firstMs: options.headersTimeout,
        keptMs: options.keepAliveTimeout,
        handOver: (_, come) => {
          this.#quick.delete(socket)
          for (const listener of full) listener.call(this, socket)
          socket.emit('data', come)
        },
      })
      this.#quick.set(socket, connection)
      socket.once('close', () => this.#quick.delete(socket))
    })
  }

  /** Also of those that only asked for what is answered quickly. */
  override closeIdleConnections(): void {
    super.closeIdleConnections()
    for (const [socket, connection] of this.#quick) if (connection.isIdle) socket.destroy()
  }

  override closeAllConnections(): void {
    super.closeAllConnections()
    for (const socket of this.#quick.keys()) socket.destroy()
  }
}
