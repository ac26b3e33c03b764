import { type ChildProcess, spawn } from 'node:child_process'
import { existsSync, readFileSync } from 'node:fs'
import path from 'node:path'
import { Worker } from 'node:worker_threads'
import { zipSync } from 'fflate'
import { freePort } from '../bin/postgres.mjs'
import type { Row } from './measure.ts'
import { makeOwn } from './own.ts'

/** Redirects asked for a second while each input is worked on, and what nine hundred and ninety of a thousand may take. */
const REDIRECTS_A_SECOND = 50
const LIMIT_MS = 50
/** Redirects are asked for at least this long, also while an input that is refused at once is sent over and over. */
const LOOK_MS = 6_000
const AGENT = 'Mozilla/5.0 (X11; Linux x86_64) AppleWebKit/537.36 (KHTML, like Gecko) Chrome/126.0 Safari/537.36'
const MB = 1024 * 1024

export interface Copy {
  readonly port: number
  readonly token: string
  readonly child: ChildProcess
}

/** Made once: what a sender does for it is not the server's time, and the two share a machine here. */
const MANY_LINKS = Buffer.from(JSON.stringify({ html: '<a href="https://tides.example/">x</a>'.repeat(520_000) }))

/** What somebody may give, and how it is given. @returns the answer in words */
const INPUTS: Readonly<Record<string, (copy: Copy) => Promise<string>>> = {
  'rules on 20 MB of links': (copy) => call(copy, 'POST', '/rewrite', MANY_LINKS),
  'rules on the largest page': (copy) => call(copy, 'POST', '/rewrite', { html: largest(3) }),
  'an import of 20 MB of links': (copy) => bringIn(copy, 'a.html', Buffer.from('<a href="https://tides.example/">x</a>'.repeat(520_000))),
  'an import of 20 of the largest pages': (copy) =>
    bringIn(copy, 'a.zip', zipOf(Object.fromEntries(Array.from({ length: 20 }, (_, i) => [`p${i}.html`, largest(i)])))),
  'a nested list in Markdown, 9 MB': (copy) => bringIn(copy, 'list.md', nestedList(3_000)),
  'a nested list in Markdown, 4 MB': (copy) => bringIn(copy, 'list.md', nestedList(2_000)),
  'a feed of 5,000 articles': (copy) =>
    bringIn(
      copy,
      'feed.xml',
      Buffer.from(
        `<rss version="2.0"><channel>${Array.from({ length: 5_000 }, (_, i) => `<item><title>n${i}</title><link>https://a.example/f/${i}</link><description><![CDATA[<p>x <a href="/y">z</a></p>]]></description></item>`).join('')}</channel></rss>`,
      ),
    ),
  'patches on the largest page': async (copy) => {
    const made = JSON.parse(await text(copy, 'POST', '/pages', { path: `/w${Date.now()}.html`, title: 'w' })) as { id: string }
    const { source } = JSON.parse(await text(copy, 'GET', `/pages/${made.id}`)) as { source: string }
    const first = await call(copy, 'PATCH', `/pages/${made.id}`, {
      version: 1,
      patchSets: [[{ from: source.length, to: source.length, insert: largest(1).slice(0, 1_900_000) }]],
    })
    const sets = Array.from({ length: 300 }, () => [{ from: 0, to: 0, insert: ' ' }])
    return `${first}; ${await call(copy, 'PATCH', `/pages/${made.id}`, { version: 2, patchSets: sets })}`
  },
  'what a rule would change': (copy) =>
    call(copy, 'POST', '/rules/impact', {
      rules: [{ id: 'a', name: 'a', isOn: true, isBinding: true, when: { is: 'address', like: 'https://*/x*' }, what: { hints: ['ugc'] } }],
    }),
  'the site as a zip': (copy) => call(copy, 'GET', '/exports/site.zip?of=draft'),
}

const nestedList = (levels: number): Buffer => Buffer.from(Array.from({ length: levels }, (_, i) => `${'  '.repeat(i)}- a`).join('\n'))
const largest = (n: number): string =>
  `<!doctype html><title>${n}</title>${`<p>${'word '.repeat(60)}<a href="https://tides.example/${n}">x</a></p>`.repeat(19_000).slice(0, 7 * MB)}`
const zipOf = (files: Readonly<Record<string, string>>): Buffer =>
  Buffer.from(zipSync(Object.fromEntries(Object.entries(files).map(([name, html]) => [name, [Buffer.from(html), { level: 1 }]]))))

/** Redirects while each of the inputs is worked on: the slowest 99th percentile, against what it may be. */
export async function weather(): Promise<Row> {
  return onCopy(async (copy) => {
    const told: string[] = []
    let worst = 0
    let most = 0
    for (const [name, give] of Object.entries(INPUTS)) {
      const seen = await during(copy, () => give(copy))
      worst = Math.max(worst, seen.p99)
      most = Math.max(most, seen.memoryMb)
      told.push(`${name}: p99 ${seen.p99.toFixed(1)} ms, ${(seen.ms / 1000).toFixed(1)} s, ${seen.answer}`)
    }
    return {
      name: 'weather',
      ours: worst,
      peer: LIMIT_MS,
      unit: 'ms',
      goal: 1,
      isAtMost: true,
      note: `most memory ${most.toFixed(0)} MB\n  ${told.join('\n  ')}`,
    }
  })
}

/** A running copy with the demo, on a database of its own; gone when the work is over. */
export async function onCopy<T>(work: (copy: Copy) => Promise<T>): Promise<T> {
  const own = await makeOwn()
  const copy = await start(own.databaseUrl, own.folder)
  try {
    return await work(copy)
  } finally {
    copy.child.kill('SIGTERM')
    await new Promise((resolve) => copy.child.once('exit', resolve))
    await own.drop()
  }
}

async function start(databaseUrl: string, folder: string): Promise<Copy> {
  const port = await freePort()
  const child = spawn(process.execPath, ['bin/start.mjs'], {
    env: { ...process.env, PORT: String(port), MAPROPE_DATA: folder, MAPROPE_DATABASE_URL: databaseUrl, MAPROPE_LOG: 'error' },
    stdio: ['ignore', 'pipe', 'inherit'],
  })
  await new Promise<void>((resolve, reject) => {
    child.stdout.on('data', (said: Buffer) => said.toString().includes('is ready') && resolve())
    child.once('exit', () => reject(new Error('it did not start')))
  })
  return { port, child, token: readFileSync(path.join(folder, 'demo-token'), 'utf8').trim() }
}

/** Asks for redirects all the while. */
export async function during(
  copy: Copy,
  work: () => Promise<string>,
): Promise<{ p99: number; memoryMb: number; ms: number; answer: string }> {
  const clock = new Worker(ASKING, { eval: true, workerData: { port: copy.port, everyMs: 1000 / REDIRECTS_A_SECOND, agent: AGENT } })
  let memoryMb = 0
  const looking = setInterval(() => {
    memoryMb = Math.max(memoryMb, memoryOf(copy.child.pid ?? 0))
  }, 100)
  const startedAt = performance.now()
  const answer = await work()
  const ms = performance.now() - startedAt
  while (performance.now() - startedAt < LOOK_MS) await (ms < 1_000 ? work() : new Promise((resolve) => setTimeout(resolve, 200)))
  clearInterval(looking)
  const took = await new Promise<number[]>((resolve) => {
    clock.once('message', resolve)
    clock.postMessage('enough')
  })
  await clock.terminate()
  took.sort((a, b) => a - b)
  return { p99: took[Math.floor(took.length * 0.99)] ?? Number.POSITIVE_INFINITY, memoryMb, ms, answer }
}

/** Asks for redirects in a thread of its own, so that what this one makes and sends is not taken for the server's time. */
const ASKING = `
const { parentPort, workerData: { port, everyMs, agent: userAgent } } = require('node:worker_threads')
const { Agent, request } = require('node:http')
const agent = new Agent({ keepAlive: true, maxSockets: 200 })
const took = []
const ask = () => {
  const startedAt = performance.now()
  const headers = { host: 'sferry.localhost:' + port, 'user-agent': userAgent }
  request({ host: '127.0.0.1', port, path: '/go/tides', headers, agent }, (answer) => {
    answer.resume()
    answer.on('end', () => took.push(answer.statusCode === 302 ? performance.now() - startedAt : Infinity))
  }).on('error', () => took.push(Infinity)).end()
}
const asking = setInterval(ask, everyMs)
parentPort.on('message', () => {
  clearInterval(asking)
  setTimeout(() => parentPort.postMessage(took), 300)
})
`

/** Resident memory of a copy's largest process, in MB. */
function memoryOf(starter: number): number {
  const list = `/proc/${starter}/task/${starter}/children`
  const children = existsSync(list) ? readFileSync(list, 'utf8').trim().split(' ') : []
  return Math.max(
    0,
    ...children.map((pid) => {
      try {
        return Number(/VmRSS:\s+(\d+)/.exec(readFileSync(`/proc/${pid}/status`, 'utf8'))?.[1] ?? 0) / 1024
      } catch {
        return 0
      }
    }),
  )
}

async function ask({ port, token }: Copy, method: string, target: string, body?: BodyInit): Promise<Response> {
  const type = body instanceof FormData ? {} : { 'content-type': 'application/json' }
  const send = (): Promise<Response> =>
    fetch(`http://localhost:${port}/api/v1${target}`, {
      method,
      headers: { authorization: `Bearer ${token}`, ...type },
      ...(body === undefined ? {} : { body }),
    })
  // A connection that lay idle may be closed in the moment in which it is used again.
  return send().catch(send)
}
const text = async (copy: Copy, method: string, target: string, body?: object): Promise<string> =>
  (await ask(copy, method, target, body === undefined ? undefined : JSON.stringify(body))).text()
async function call(copy: Copy, method: string, target: string, body?: object | Buffer): Promise<string> {
  const sent = body === undefined ? undefined : Buffer.isBuffer(body) ? new Uint8Array(body) : JSON.stringify(body)
  const answer = await ask(copy, method, target, sent)
  const said = await answer.arrayBuffer()
  const fault = answer.status < 400 ? '' : ` ${(JSON.parse(Buffer.from(said).toString()) as { fault: string }).fault}`
  return `${answer.status}${fault}`
}
export async function bringIn(copy: Copy, name: string, bytes: Buffer, dryRun = true): Promise<string> {
  const form = new FormData()
  form.set('file', new File([new Uint8Array(bytes)], name))
  form.set('dryRun', dryRun ? '1' : '0')
  const answer = await ask(copy, 'POST', '/imports', form)
  const { job } = (await answer.json()) as { job?: string }
  if (job === undefined) return String(answer.status)
  for (;;) {
    const now = JSON.parse(await text(copy, 'GET', `/jobs/${job}`)) as {
      state: string
      message: string | null
      report: { new: number; refused: number } | null
    }
    if (now.state !== 'waiting' && now.state !== 'running')
      return `${now.state}${now.report === null ? `: ${now.message}` : `, ${now.report.new} new, ${now.report.refused} refused`}`
    await new Promise((resolve) => setTimeout(resolve, 100))
  }
}
