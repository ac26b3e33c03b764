// The peer of the rows short-link and redirect: Node's own http server, which always answers alike.
import { createServer } from 'node:http'

const status = Number(process.env.STATUS ?? 302)
createServer((_request, response) => {
  response.writeHead(status, { Location: 'https://gannet-line.example/page/1?p=4471' })
  response.end()
}).listen(Number(process.env.PORT), '127.0.0.1', () => process.send('ready'))
process.on('SIGTERM', () => process.exit(0))
