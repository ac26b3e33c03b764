import { defineMiddleware } from 'astro:middleware'
import { titleOf } from '../contract/problems.ts'
import { sessionCookie } from '../pages/_session.ts'
import { guarded, problem } from '../pages/api/v1/_answer.ts'
import { inWords, tell } from '../words/index.ts'

const SAFE_METHODS = new Set(['GET', 'HEAD', 'OPTIONS'])
/** Reached without being signed in. */
const OPEN_PATHS = new Set(['/sign-in', '/set-up', '/enter', '/api/v1/openapi.json'])

export const onRequest = defineMiddleware(async (context, next) => {
  const { url, request, locals, cookies } = context
  const isApi = url.pathname.startsWith('/api/')
  if (import.meta.env.DEV) Object.assign(locals, await (await import('./dev.ts')).devLocals())
  locals.actor = null
  const bearer = /^Bearer\s+(\S+)$/i.exec(request.headers.get('authorization') ?? '')?.[1]
  const session = cookies.get(sessionCookie(url).name)?.value
  if (!SAFE_METHODS.has(request.method) && bearer === undefined && !isSameOrigin(request, url)) {
    return withHeaders(isApi ? problem('cross-site') : new Response(inWords(titleOf('cross-site')), { status: 403 }), url)
  }
  const answer = await guarded(context, async () => {
    if (bearer !== undefined) locals.actor = await locals.services.tokens.bearer(bearer)
    else if (session !== undefined) locals.actor = await locals.services.people.resume(session)
    if (locals.actor === null && !OPEN_PATHS.has(url.pathname) && !isTicketed(url.pathname)) {
      if (isApi) return problem('not-signed-in')
      return context.redirect(`/sign-in${url.pathname === '/' ? '' : `?next=${encodeURIComponent(url.pathname + url.search)}`}`, 302)
    }
    return next()
  })
  const isBrokenScreen = !isApi && answer.headers.get('content-type') === 'application/problem+json'
  // Files are shown as the site shows them: from its own host, where nothing of the studio's is.
  const { actor, services } = locals
  const site = actor === null || isApi || isBrokenScreen ? null : (await services.views.of(actor).catch(() => null))?.origin
  return withHeaders(isBrokenScreen ? brokenScreen(answer.status) : answer, url, site ?? null)
})

/** Reached by the frame that shows pages, which has no cookie: the ticket in the path is looked at there. */
const isTicketed = (pathname: string): boolean =>
  pathname.startsWith('/pages/draft-files/') && !pathname.startsWith('/pages/draft-files/mine/')

/** Browsers say where a request comes from; one that does not say, and has only a cookie to show, is not carried out. */
function isSameOrigin(request: Request, url: URL): boolean {
  const site = request.headers.get('sec-fetch-site')
  if (site !== null) return site === 'same-origin'
  return request.headers.get('origin') === url.origin
}

function brokenScreen(status: number): Response {
  const words = status === 503 ? tell('answer.database-away') : tell('answer.studio-broken')
  return new Response(
    `<!doctype html><html lang="en"><meta charset="utf-8"><title>Map Rope</title><p>${inWords(words)}</p><p><a href="">Try again</a></p></html>`,
    {
      status,
      headers: { 'Content-Type': 'text/html; charset=utf-8', 'Retry-After': '5' },
    },
  )
}

function withHeaders(response: Response, url: URL, site: string | null = null): Response {
  const answer = new Response(response.body, response)
  const { headers } = answer
  headers.set('X-Content-Type-Options', 'nosniff')
  headers.set('Referrer-Policy', 'same-origin')
  headers.set('Cross-Origin-Opener-Policy', 'same-origin')
  headers.set('Permissions-Policy', 'camera=(), microphone=(), geolocation=()')
  if (!headers.has('Cache-Control')) headers.set('Cache-Control', 'no-store')
  // These have a policy of their own: they show what people wrote.
  if (url.pathname === '/pages/frame' || url.pathname.startsWith('/pages/draft-files/')) return answer
  headers.set('X-Frame-Options', 'DENY')
  const policy = headers.get('Content-Security-Policy')
  // The toasts and the window primitives set styles from script; scripts themselves stay strict.
  if (policy !== null)
    headers.set(
      'Content-Security-Policy',
      policy
        .replace(/style-src [^;]*/, "style-src 'self' 'unsafe-inline'")
        .replace(/img-src [^;]*/, (images) => (site === null ? images : `${images} ${site}`)),
    )
  else headers.set('Content-Security-Policy', "default-src 'none'; frame-ancestors 'none'")
  return answer
}
