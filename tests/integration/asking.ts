import { type IncomingHttpHeaders, request, type Server } from 'node:http'
import { type AddressInfo, connect } from 'node:net'

/** What came back. */
export interface Answer {
  readonly status: number
  readonly headers: IncomingHttpHeaders
  readonly location: string | undefined
  /** As it came. */
  readonly bytes: Buffer
  /** The same as UTF-8. */
  readonly body: string
}

export interface Asked {
  readonly host?: string
  readonly method?: string
  readonly headers?: Readonly<Record<string, string>>
  readonly body?: string | Buffer
  /** Sends the body by itself. */
  readonly write?: (send: (part: string | Buffer) => void, end: () => void) => void
}

/** Where a server of this process listens. */
export const portOf = (server: Server): number => (server.address() as AddressInfo).port

/** A person's browser, as it says of itself. */
export const BROWSER = 'Mozilla/5.0 (X11; Linux x86_64) AppleWebKit/537.36 Chrome/126.0 Safari/537.36'

/** One request on a connection of its own, by the name in its Host header: fetch would unpack, follow, and put a name of its own there. */
export function ask(port: number, target: string, { host, method = 'GET', headers = {}, body, write }: Asked = {}): Promise<Answer> {
  return new Promise((resolve, reject) => {
    // Who sends more than is taken is cut off, after an answer.
    const failed = (error: NodeJS.ErrnoException): void => {
      if (write === undefined || (error.code !== 'EPIPE' && error.code !== 'ECONNRESET')) reject(error)
    }
    const named = host === undefined ? {} : { host }
    const sent = request({ host: '127.0.0.1', port, path: target, method, agent: false, headers: { ...named, ...headers } }, (answer) => {
      const parts: Buffer[] = []
      answer.on('data', (part: Buffer) => parts.push(part))
      answer.on('error', failed)
      answer.on('close', () => {
        const bytes = Buffer.concat(parts)
        const { statusCode = 0, headers: got } = answer
        resolve({ status: statusCode, headers: got, location: got.location, bytes, body: bytes.toString('utf8') })
      })
    })
    sent.on('error', failed)
    if (write === undefined) sent.end(body)
    else
      write(
        (part) => void sent.write(part),
        () => void sent.end(),
      )
  })
}

/** Sends bytes as they are, and answers with all that comes back until the connection ends. */
export function sendBytes(port: number, bytes: string): Promise<Buffer> {
  return new Promise((resolve, reject) => {
    const parts: Buffer[] = []
    const socket = connect(port, '127.0.0.1', () => socket.write(bytes, 'latin1'))
    socket.on('data', (part) => parts.push(part))
    socket.on('error', reject)
    socket.on('end', () => resolve(Buffer.concat(parts)))
  })
}

/** The name of a sentence that nobody put into words, in JSON or in a cell of a table. */
const UNSAID = /"+tell"+:"+[a-z-]+\.[a-z-]+"/

/**
 * Calls the API of a copy. Text and forms go as they are, all else as JSON.
 * @param by - a token, or the cookie of somebody who is signed in
 * @param type - of a body that is text
 */
export async function callApi<T = Record<string, unknown>>(
  { url, token }: { readonly url: string; readonly token: string },
  method: string,
  target: string,
  given?: unknown,
  { by = token, type = 'application/json' }: { readonly by?: string; readonly type?: string } = {},
): Promise<{ readonly status: number; readonly body: T; readonly text: string }> {
  const who: Record<string, string> = by.startsWith('mr_') ? { authorization: `Bearer ${by}` } : { cookie: by, origin: url }
  const isForm = given instanceof FormData
  const body = given === undefined || isForm || typeof given === 'string' ? given : JSON.stringify(given)
  const answer = await fetch(`${url}/api/v1${target}`, {
    method,
    headers: { ...who, ...(isForm ? {} : { 'content-type': type }) },
    ...(body === undefined ? {} : { body }),
  })
  const text = await answer.text()
  if (UNSAID.test(text)) throw new Error(`${method} ${target} answers what is still to be said: ${text.slice(0, 500)}`)
  return {
    status: answer.status,
    text,
    /** Read when it is looked at: most tests that ask thousands of times look at the text alone. */
    get body(): T {
      return JSON.parse(text) as T
    },
  }
}
