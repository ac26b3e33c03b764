import type { ServerResponse } from 'node:http'
import { isSpoken } from '../core/spoken/index.ts'

const escaped = (text: string): string => text.replace(/[&<>"]/g, (mark) => `&#${mark.charCodeAt(0)};`)

/** @param more - what stands below the sentence, as HTML */
export function pageSaying(sentence: string, more = '', language: string | undefined = undefined): string {
  const words = escaped(sentence)
  return (
    `<!doctype html><html lang="${isSpoken(language) ? escaped(language ?? 'en') : 'en'}"><meta charset="utf-8"><meta name="viewport" content="width=device-width"><title>${words}</title>` +
    `<body style="font:1.1rem/1.5 system-ui,sans-serif;max-width:34rem;margin:18vh auto;padding:0 1.5rem;background:#F6F1E6;color:#16283A"><p>${words}</p>${more}</body></html>`
  )
}

/** A page that says something and leads on to a site's front page; in ASCII. */
export const pageLeadingOn = (
  sentence: string,
  site: { readonly name: string; readonly address: string; readonly language: string | undefined },
): string =>
  pageSaying(sentence, `<p><a href="${escaped(site.address)}">${escaped(site.name)}</a></p>`, site.language).replace(
    /[^\0-\x7f]/gu,
    (letter) => `&#${letter.codePointAt(0)};`,
  )

/** A short page of our own, for people who ended up where nothing is. */
export function say(
  response: ServerResponse,
  status: number,
  sentence: string,
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
  say(response, 503, 'This site is being set up. Please try again in a moment.', method, { 'Retry-After': '5' })
