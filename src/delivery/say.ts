import type { ServerResponse } from 'node:http'
import { escapeAnywhere, inAscii } from '../core/markup/index.ts'
import { inWords, isSpoken, type Said, tell } from '../words/index.ts'

/** @param more - what stands below the sentence, as HTML */
export function pageSaying(sentence: Said, more = '', language: string | undefined = undefined): string {
  const words = escapeAnywhere(inWords(sentence))
  return (
    `<!doctype html><html lang="${isSpoken(language) ? escapeAnywhere(language ?? 'en') : 'en'}"><meta charset="utf-8"><meta name="viewport" content="width=device-width"><title>${words}</title>` +
    `<body style="font:1.1rem/1.5 system-ui,sans-serif;max-width:34rem;margin:18vh auto;padding:0 1.5rem;background:#F6F1E6;color:#16283A"><p>${words}</p>${more}</body></html>`
  )
}

/** A page that says something and leads on to a site's front page; in ASCII. */
export const pageLeadingOn = (
  sentence: Said,
  site: { readonly name: string; readonly address: string; readonly language: string | undefined },
): string =>
  inAscii(pageSaying(sentence, `<p><a href="${escapeAnywhere(site.address)}">${escapeAnywhere(site.name)}</a></p>`, site.language))

/** A short page of our own, for people who ended up where nothing is. */
export function say(
  response: ServerResponse,
  status: number,
  sentence: Said,
  method: string | undefined,
  headers: Readonly<Record<string, string>> = {},
  /** What stands below the sentence, as HTML. */
  more = '',
  /** Of the sentence, where it is among those that are spoken. */
  language: string | undefined = undefined,
): void {
  const body = Buffer.from(pageSaying(sentence, more, language))
  response.writeHead(status, {
    ...headers,
    'Content-Type': 'text/html; charset=utf-8',
    'Content-Length': body.length,
    'X-Robots-Tag': 'noindex',
    'Cache-Control': 'no-store',
  })
  response.end(method === 'HEAD' ? undefined : body)
}

/** There is nothing to answer from yet, or not all of it. */
export const sayNotYet = (response: ServerResponse, method: string | undefined): void =>
  say(response, 503, tell('answer.not-yet'), method, { 'Retry-After': '5' })
