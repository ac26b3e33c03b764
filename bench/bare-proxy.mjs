// The peer of the front door: a proxy that passes everything through and looks at nothing.
import http from 'node:http'

const agent = new http.Agent({ keepAlive: true, maxSockets: 256, maxFreeSockets: 64 })
http
  .createServer((request, response) => {
    const outgoing = http.request(
      {
        host: '127.0.0.1',
        port: Number(process.env.BEHIND_PORT),
        path: request.url,
        method: request.method,
        headers: request.headers,
        agent,
      },
      (answer) => {
        response.writeHead(answer.statusCode ?? 502, answer.headers)
        answer.pipe(response)
      },
    )
    outgoing.on('error', () => response.destroy())
    request.pipe(outgoing)
  })
  .listen(Number(process.env.PORT), '127.0.0.1', () => process.send?.('ready'))
