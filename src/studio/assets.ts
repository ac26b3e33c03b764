import { createHash } from 'node:crypto'
import { existsSync, readdirSync, readFileSync } from 'node:fs'
import type { IncomingMessage, ServerResponse } from 'node:http'
import path from 'node:path'
import sirv from 'sirv'

/** Where what the build gave hashed names lies: it never changes under its name. */
const HASHED = '/_astro/'
const FOR_GOOD = 'public, max-age=31536000, immutable'

export interface Assets {
  /** Where the script of the frame is that shows pages. */
  readonly frameScript: string
  /** Sends an asset, packed as the build left it where that is taken; else goes on. */
  send(request: IncomingMessage, response: ServerResponse, next: () => void): void
}

/** The studio's scripts, styles and fonts, as they are when the process starts. */
export function openAssets(folder: string): Assets {
  const files = existsSync(folder)
    ? readdirSync(folder, { recursive: true }).map((name) => `/${String(name).replaceAll(path.sep, '/')}`)
    : []
  const frame = files.find((name) => /^\/_astro\/frame\.[\w-]+\.js$/.test(name)) ?? `${HASHED}frame.js`
  const tags = new Map<string, string>()
  /** A strong validator: of the bytes, made when somebody asks for them. Packed bytes are others (RFC 9110 §8.8.1). */
  const tagOf = (pathname: string, encoding: string): string => {
    const key = pathname + encoding
    const known = tags.get(key)
    if (known !== undefined) return known
    const hash = createHash('sha256').update(readFileSync(path.join(folder, key)))
    const made = `"${hash.digest('base64url').slice(0, 22)}"`
    tags.set(key, made)
    return made
  }
  const serve = sirv(folder, {
    etag: false,
    gzip: true,
    brotli: true,
    setHeaders(response, pathname) {
      response.setHeader('X-Content-Type-Options', 'nosniff')
      response.setHeader('Cache-Control', pathname.startsWith(HASHED) ? FOR_GOOD : 'no-cache')
    },
  })
  const known = new Set(files)
  return {
    frameScript: frame,
    send(request, response, next) {
      const pathname = (request.url ?? '/').split('?', 1)[0] ?? '/'
      if (!known.has(pathname) || (request.method !== 'GET' && request.method !== 'HEAD')) return next()
      const accepted = String(request.headers['accept-encoding'] ?? '')
      const ending =
        /\bbr\b/.test(accepted) && known.has(`${pathname}.br`)
          ? '.br'
          : /\bgzip\b/.test(accepted) && known.has(`${pathname}.gz`)
            ? '.gz'
            : ''
      const tag = tagOf(pathname, ending)
      if (request.headers['if-none-match'] === tag)
        return void response
          .writeHead(304, { ETag: tag, Vary: 'Accept-Encoding', 'Cache-Control': pathname.startsWith(HASHED) ? FOR_GOOD : 'no-cache' })
          .end()
      response.setHeader('ETag', tag)
      serve(request, response, next)
    },
  }
}
