import { spawn } from 'node:child_process'
import { mkdirSync, mkdtempSync, rmSync, writeFileSync } from 'node:fs'
import { request } from 'node:http'
import { connect } from 'node:net'
import { tmpdir } from 'node:os'
import path from 'node:path'
import { setTimeout as wait } from 'node:timers/promises'
import { ownPort } from '../ports.ts'

/** A web server of another make, on loopback, with a configuration under test. */
export interface WebServer {
  ask(host: string, target: string): Promise<{ status: number; location: string | null }>
  /** What comes out of the socket, a byte a letter, before anything reads it. */
  raw(host: string, target: string, headers?: readonly string[], method?: string): Promise<string>
  stop(): Promise<void>
}

/** Starts Apache httpd. @param text - lines for the server's own configuration */
export async function startHttpd(text: string): Promise<WebServer> {
  const [place, port] = [mkdtempSync(path.join(tmpdir(), 'map-rope-httpd-')), await ownPort()]
  mkdirSync(path.join(place, 'empty'))
  const modules = ['mpm_event', 'authz_core', 'alias', 'rewrite'].map(
    (name) => `LoadModule ${name}_module /usr/lib/apache2/modules/mod_${name}.so`,
  )
  writeFileSync(
    path.join(place, 'conf'),
    [
      `ServerRoot ${place}`,
      `PidFile ${place}/pid`,
      `DefaultRuntimeDir ${place}`,
      `Listen 127.0.0.1:${port}`,
      ...modules,
      ...(process.getuid?.() === 0 ? ['User www-data', 'Group www-data'] : []),
      'ServerName localhost',
      `ErrorLog ${place}/error`,
      `DocumentRoot ${place}/empty`,
      text,
    ].join('\n'),
  )
  return started(place, port, '/usr/sbin/apache2', ['-X', '-f', path.join(place, 'conf')])
}

/** Starts nginx. @param http - for the http block @param server - for the server block */
export async function startNginx(http: string, server: string): Promise<WebServer> {
  const [place, port] = [mkdtempSync(path.join(tmpdir(), 'map-rope-nginx-')), await ownPort()]
  writeFileSync(
    path.join(place, 'conf'),
    `daemon off; master_process off; pid ${place}/pid; error_log ${place}/error; events {}
http { access_log off; absolute_redirect off; server_names_hash_bucket_size 128; client_body_temp_path ${place}; proxy_temp_path ${place}; fastcgi_temp_path ${place}; uwsgi_temp_path ${place}; scgi_temp_path ${place};
${http.replaceAll('@PORT', String(port))}
${server === '' ? '' : `server { listen 127.0.0.1:${port} default_server; root ${place}/empty;\n${server}\n}`}
}`,
  )
  return started(place, port, '/usr/sbin/nginx', ['-p', place, '-c', path.join(place, 'conf')])
}

/** Header bytes as the text they are meant as. */
const textOf = (header: string | undefined): string | null => (header === undefined ? null : Buffer.from(header, 'latin1').toString('utf8'))

async function started(place: string, port: number, program: string, args: string[]): Promise<WebServer> {
  const child = spawn(program, args, { stdio: ['ignore', 'ignore', 'pipe'] })
  let said = ''
  child.stderr.on('data', (part: Buffer) => {
    said += part.toString()
  })
  const ended = new Promise<void>((resolve) => child.once('exit', () => resolve()))
  const ask: WebServer['ask'] = (host, target) =>
    new Promise((resolve, reject) => {
      const sent = request({ host: '127.0.0.1', port, path: target, headers: { Host: host }, agent: false }, (answer) => {
        answer.resume()
        answer.on('end', () => resolve({ status: answer.statusCode ?? 0, location: textOf(answer.headers.location) }))
      })
      sent.on('error', reject)
      sent.end()
    })
  const raw: WebServer['raw'] = (host, target, headers = [], method = 'GET') =>
    new Promise((resolve, reject) => {
      const socket = connect(port, '127.0.0.1')
      let came = ''
      socket.setEncoding('latin1')
      socket.on('data', (part) => {
        came += part
      })
      socket.on('error', reject)
      socket.on('close', () => resolve(came))
      socket.write(
        `${method} ${target} HTTP/1.1\r\nHost: ${host}\r\n${headers.map((line) => `${line}\r\n`).join('')}Connection: close\r\n\r\n`,
        'latin1',
      )
    })
  for (let i = 0; ; i++) {
    if (child.exitCode !== null || i > 200) throw new Error(`${program} does not start: ${said}`)
    if (
      await ask('localhost', '/').then(
        () => true,
        () => false,
      )
    )
      break
    await wait(50)
  }
  return {
    ask,
    raw,
    async stop() {
      child.kill('SIGTERM')
      await ended
      rmSync(place, { recursive: true, force: true })
    },
  }
}
