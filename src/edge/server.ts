import { type RequestListener, Server, type ServerOptions, type ServerResponse } from 'node:http'
import type { Socket } from 'node:net'
import { Gate } from './gate.ts'
import { type Quick, QuickConnection } from './quick.ts'
import type { EdgeRequest } from './request.ts'

/** What a request says of its body (RFC 9112 §6). */
const bodyBytes = ({ headers }: EdgeRequest): number =>
  headers['transfer-encoding'] !== undefined ? Number.POSITIVE_INFINITY : Number(headers['content-length'] ?? 0)

/**
 * Node's server with a quick way in front of it: each connection begins there, and is handed over to Node's own parser at the
 * first request that is not answered at once. Either way one request of a connection is answered at a time.
 */
export class EdgeServer extends Server<typeof EdgeRequest> {
  readonly #quick = new Map<Socket, QuickConnection>()
  readonly #gates = new WeakMap<Socket, Gate>()

  constructor(
    options: ServerOptions<typeof EdgeRequest> & { headersTimeout: number; keepAliveTimeout: number },
    onRequest: RequestListener<typeof EdgeRequest>,
    quick: Quick | null,
  ) {
    super(options, (request, response) => {
      this.#note(request, response)
      onRequest(request, response)
    })
    const full = this.listeners('connection') as ((socket: Socket) => void)[]
    this.removeAllListeners('connection')
    const parse = (socket: Socket): void => {
      for (const listener of full) listener.call(this, socket)
      this.#gate(socket)
    }
    if (quick === null) {
      this.on('connection', parse)
      return
    }
    this.on('connection', (socket) => {
      const connection = new QuickConnection(socket, {
        quick,
        firstMs: options.headersTimeout,
        keptMs: options.keepAliveTimeout,
        handOver: (_, come) => {
          this.#quick.delete(socket)
          parse(socket)
          socket.emit('data', come)
        },
      })
      this.#quick.set(socket, connection)
      socket.once('close', () => this.#quick.delete(socket))
    })
  }

  /** Puts a gate between a connection and the parser that has just begun to listen to it. */
  #gate(socket: Socket): void {
    const [parse] = socket.listeners('data') as ((bytes: Buffer) => void)[]
    if (parse === undefined) throw new Error('Node’s parser does not listen for data')
    const gate = new Gate(socket, (bytes) => parse.call(socket, bytes))
    this.#gates.set(socket, gate)
    socket.off('data', parse)
    socket.on('data', (bytes: Buffer) => gate.come(bytes))
  }

  #note(request: EdgeRequest, response: ServerResponse): void {
    const gate = this.#gates.get(request.socket)
    if (gate === undefined) return
    gate.took(bodyBytes(request))
    const answered = (): void => gate.answered()
    response.once('close', () => {
      if (request.complete) answered()
      else request.once('close', answered)
    })
  }

  /** The connection becomes another protocol: what is held belongs to that. */
  override emit(event: string | symbol, ...values: unknown[]): boolean {
    const [, socket] = values
    const gate = event === 'upgrade' || event === 'connect' ? this.#gates.get(socket as Socket) : undefined
    if (gate !== undefined) this.#letGo(socket as Socket, gate)
    return super.emit(event as string, ...values)
  }

  #letGo(socket: Socket, gate: Gate): void {
    this.#gates.delete(socket)
    socket.removeAllListeners('data')
    const held = gate.release()
    if (held !== null) socket.unshift(held)
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
