// A site of pages of about 30 kB, no two the same to the byte, as fast as this runtime serves it: what stands behind the front door in the bench.
import { createServer } from 'node:http'

const article = Buffer.from(process.env.BENCH_PAGE ?? '', 'base64')
let asked = 0
createServer((_request, response) => {
  asked++
  const page = Buffer.concat([article, Buffer.from(`<!-- ${asked} -->`)])
  response.writeHead(200, { 'Content-Type': 'text/html; charset=utf-8', 'Content-Length': page.length })
  response.end(page)
}).listen(Number(process.env.PORT), '127.0.0.1', () => process.send?.('ready'))
