import type { APIRoute } from 'astro'

/**
 * The empty document in which pages are shown for editing. `sandbox` gives it an origin of its own, so that nothing in a
 * page can act as the person who looks at it; only our script may run, whatever the page brings along.
 */
export const GET: APIRoute = ({ url, locals: { frameScript } }) =>
  new Response(`<!doctype html><title>Page</title><script src="${frameScript}"></script>`, {
    headers: {
      'Content-Type': 'text/html; charset=utf-8',
      'Content-Security-Policy':
        `sandbox allow-scripts; default-src 'none'; script-src ${url.origin}${frameScript}; ` +
        "img-src * data: blob:; style-src * 'unsafe-inline'; font-src * data:; media-src *; form-action 'none'; base-uri *; frame-ancestors 'self'",
    },
  })
