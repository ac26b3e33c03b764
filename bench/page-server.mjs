// A site of one page of about 30 kB, as fast as this runtime serves it: what stands behind the front door in the bench.
import { createServer } from 'node:http'

const page = Buffer.from(process.env.BENCH_PAGE ?? '', 'base64')
createServer((_request, response) => {
  response.writeHead(200, { 'Content-Type': 'text/html; charset=utf-8', 'Content-Length': page.length })
  response.end(page)
}).listen(Number(process.env.PORT), '127.0.0.1', () => process.send?.('ready'))
