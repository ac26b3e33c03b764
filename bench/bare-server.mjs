// The peer of the short-link row: Node's own http server, which always answers 302.
import { createServer } from 'node:http'

createServer((_request, response) => {
  response.writeHead(302, { Location: 'https://gannet-line.example/page/1?p=4471' })
  response.end()
}).listen(Number(process.env.PORT), '127.0.0.1', () => process.send('ready'))
process.on('SIGTERM', () => process.exit(0))
