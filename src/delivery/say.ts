import type { ServerResponse } from 'node:http'

/** A short page of our own, for people who ended up where nothing is. */
export function say(
  response: ServerResponse,
  status: number,
  sentence: string,
  method: string | undefined,
  headers: Readonly<Record<string, string>> = {},
  /** What stands below the sentence, as HTML. */
  more = '',
): void {
  const words = sentence.replace(/[&<>]/g, (mark) => ({ '&': '&amp;', '<': '&lt;', '>': '&gt;' })[mark] ?? mark)
  const body = Buffer.from(
    `<!doctype html><html lang="en"><meta charset="utf-8"><meta name="viewport" content="width=device-width"><title>${words}</title>` +
      `<body style="font:1.1rem/1.5 system-ui,sans-serif;max-width:34rem;margin:18vh auto;padding:0 1.5rem;background:#F6F1E6;color:#16283A"><p>${words}</p>${more}</body></html>`,
  )
  response.writeHead(status, {
    ...headers,
    'Content-Type': 'text/html; charset=utf-8',
    'Content-Length': body.length,
    'X-Robots-Tag': 'noindex',
    'Cache-Control': 'no-store',
  })
  response.end(method === 'HEAD' ? undefined : body)
}
