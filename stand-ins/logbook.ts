import type { IncomingHttpHeaders, ServerResponse } from 'node:http'
import { gzipSync } from 'node:zlib'

/** The Slow Ferry's older site, written by hand in its first years: odd markup, an old encoding, and not one link marked. */
const PAGES: Readonly<Record<string, readonly [title: string, body: string]>> = {
  '/': [
    'The old logbook',
    '<P>Kept on paper until the paper got wet. <A HREF="/1998.html">1998</A>, <A HREF=/1999.html>1999</A>, and a <a href="/list.html">list of boats</a>.\n<P>Our awning came from <a href="{gannet}/boots/deck">Gannet &amp; Line</a>, like everything that kept dry.',
  ],
  '/1998.html': [
    'Logbook, 1998',
    '<p>First crossing: twenty past. Second crossing: no. Slept at <a href=\'{bothy}/rooms/six-bunks\'>the bunks</a> and read <a href="{kelp}/books/reading-tides" target=_blank>the tide book</a>.\n<!-- <a href="{gannet}/">a link nobody sees</a> -->\n<p>The caf\xe9 on the quay opened, and closed. <a href="/1999.html">On to the next year.</a>',
  ],
  '/1999.html': [
    'Logbook, 1999',
    '<p>Everything we wore came from <a href="{gannet}/smocks/waxed">one shop</a>, and it rained. A chart: <a href="{contour}/sheets/14">sheet 14</a>.\n<script>var shops = \'<a href="{gannet}/">not a link</a>\'</script>\n<p><a href="http://{here}/1998.html">Back a year</a>.',
  ],
  '/list.html': ['Boats', '<ul><li>The ten past seven<li><a href="{society}/history">Every other boat</a></ul>'],
}

/** Answers as an old server would: windows-1252, compressed where asked for, strong entity tags, a moved page, a form. */
export function logbook(url: URL, headers: IncomingHttpHeaders, response: ServerResponse, port: number): void {
  if (url.pathname === '/old') {
    response
      .writeHead(301, {
        Location: `http://logbook.localhost:${port}/1998.html`,
        'Set-Cookie': `seen=1; Domain=logbook.localhost; Path=/`,
        'Content-Length': '0',
      })
      .end()
    return
  }
  const page = PAGES[url.pathname]
  const shop = (name: string): string => `http://${name}.localhost:${port}`
  const [title, body] = page ?? ['Not in the log', '<p>There is no such page. <a href="/">To the front</a>.']
  const filled = body
    .replaceAll('{gannet}', shop('gannet-line'))
    .replaceAll('{bothy}', shop('bothy-beds'))
    .replaceAll('{kelp}', shop('kelp-lane-books'))
    .replaceAll('{contour}', shop('contour-kiosk'))
    .replaceAll('{society}', shop('ferry-society'))
    .replaceAll('{here}', String(headers['x-forwarded-host'] ?? url.host))
  const html = `<HTML><HEAD><TITLE>${title}</TITLE></HEAD>\n<BODY BGCOLOR="#fbfaf6"><H1>${title}</H1>\n${filled}\n</BODY></HTML>\n`
  const bytes = Buffer.from(html, 'latin1')
  const isPacked = /\bgzip\b/.test(String(headers['accept-encoding'] ?? ''))
  const sent = isPacked ? gzipSync(bytes) : bytes
  response.writeHead(page === undefined ? 404 : 200, {
    'Content-Type': 'text/html; charset=windows-1252',
    'Content-Length': sent.length,
    ETag: `"${title.length}-${bytes.length}"`,
    ...(isPacked ? { 'Content-Encoding': 'gzip', Vary: 'Accept-Encoding' } : {}),
  })
  response.end(sent)
}
