import type { APIRoute } from 'astro'

/** Styles name their pictures from the site's root: these lead to the drafts too. */
const fromRoot = (css: string, stem: string): string =>
  css.replace(/(url\(\s*["']?|@import\s+["'])\/(?!\/)/gi, (_, before: string) => `${before}${stem}/`)

/**
 * A file as it stands in the studio, for pages that are shown there: what is not published is not on the site's own host.
 * The frame that shows pages has no origin and no cookie, so a ticket says for which site, and until when.
 */
export const GET: APIRoute = async ({ params, locals, url }) => {
  const ticket = params.ticket ?? ''
  const path = url.pathname.slice(`/pages/draft-files/${ticket}`.length)
  const { actor, services } = locals
  const file = await services.draftFiles.read(
    ticket === 'mine' ? (actor?.can('pages:read') === true ? actor.siteId : null) : services.draftFiles.siteOf(ticket),
    path,
  )
  if (file === null) return new Response('There is no such file.', { status: 404 })
  const isCss = file.mediaType === 'text/css'
  const body = isCss ? fromRoot(Buffer.from(file.bytes).toString('utf8'), `/pages/draft-files/${ticket}`) : new Uint8Array(file.bytes)
  return new Response(body, {
    headers: {
      'Content-Type': isCss ? 'text/css; charset=utf-8' : file.mediaType,
      // Nothing in it may run, whoever opens it by itself on the studio's host.
      'Content-Security-Policy': "sandbox; default-src 'none'; style-src 'unsafe-inline'",
      'Access-Control-Allow-Origin': '*',
      'Cross-Origin-Resource-Policy': 'cross-origin',
      'Cache-Control': 'private, max-age=30',
    },
  })
}
