import assert from 'node:assert/strict'
import { type ChildProcess, spawn } from 'node:child_process'
import { existsSync, mkdtempSync, readdirSync, rmSync, writeFileSync } from 'node:fs'
import { request } from 'node:http'
import { tmpdir } from 'node:os'
import path from 'node:path'
import { after, before, test } from 'node:test'
import { type Browser, chromium } from 'playwright-core'
import { CHROMIUM } from '../../bin/chromium.mjs'
import { zipOf } from '../integration/world.ts'
import { ownPort } from '../ports.ts'
import { axeFinds } from './studio.ts'

let browser: Browser
let folder: string
let port: number
let npm: ChildProcess
let said = ''

/** npm, as somebody at a terminal runs it. @returns what it said, once `until` is in it or it has ended */
function run(script: 'serve' | 'start', until: string): Promise<{ child: ChildProcess; words: string }> {
  const { MAPROPE_TEST_DATABASE_URL: _url, ...environment } = process.env
  const child = spawn('npm', ['run', script], {
    cwd: path.resolve(import.meta.dirname, '../..'),
    env: { ...environment, PORT: String(port), MAPROPE_DATA: folder, MAPROPE_LOG: 'error', NODE_ENV: '' },
    stdio: ['ignore', 'pipe', 'pipe'],
  })
  let words = ''
  return new Promise((resolve) => {
    const hear = (part: Buffer): void => {
      words += part.toString()
      if (words.includes(until)) resolve({ child, words })
    }
    child.stdout?.on('data', hear)
    child.stderr?.on('data', hear)
    child.once('exit', () => resolve({ child, words }))
  })
}
/** Ends npm, and waits until what it started has noticed and is gone as well. */
async function ended(child: ChildProcess): Promise<void> {
  if (child.exitCode === null && child.signalCode === null) {
    const gone = new Promise((resolve) => child.once('exit', resolve))
    child.kill('SIGTERM')
    await gone
  }
  for (let tries = 0; tries < 150 && existsSync(path.join(folder, 'running')); tries++)
    await new Promise((resolve) => setTimeout(resolve, 100))
}

before(async () => {
  folder = mkdtempSync(path.join(tmpdir(), 'map-rope-serve-'))
  port = await ownPort()
  browser = await chromium.launch(CHROMIUM)
  const started = await run('serve', 'Ctrl+C')
  npm = started.child
  said = started.words
})
after(async () => {
  await browser?.close()
  await ended(npm)
  rmSync(folder, { recursive: true, force: true })
})

/** Asks a public host, as a visitor's browser does. */
const visit = (host: string, target: string): Promise<{ status: number; location: string; body: string }> =>
  new Promise((resolve, reject) => {
    const headers = {
      host: `${host}:${port}`,
      'user-agent': 'Mozilla/5.0 (X11; Linux x86_64) AppleWebKit/537.36 Chrome/141.0 Safari/537.36',
    }
    const asked = request({ host: '127.0.0.1', port, path: target, headers, agent: false }, (answer) => {
      let body = ''
      answer.on('data', (part: Buffer) => {
        body += part.toString()
      })
      answer.on('end', () => resolve({ status: answer.statusCode ?? 0, location: answer.headers.location ?? '', body }))
    })
    asked.on('error', reject)
    asked.end()
  })

test('from npm run serve on an empty folder to a short link that is clicked and counted, and a page brought in and published', async () => {
  const address = /http:\/\/localhost:\d+\/set-up\?code=\S+/.exec(said)?.[0]
  assert.ok(address !== undefined, said)
  assert.ok(!readdirSync(folder).includes('set-up-address'), 'the code is not left lying about')
  const context = await browser.newContext({ viewport: { width: 1280, height: 800 }, reducedMotion: 'reduce' })
  const page = await context.newPage()
  const studio = `http://localhost:${port}`
  const found: string[] = []
  const look = async (name: string): Promise<void> => void found.push(...(await axeFinds(page)).map((words) => `${name}: ${words}`))

  await page.goto(studio)
  await page.getByText('Nobody owns this Map Rope yet').waitFor()
  await look('before the set-up')
  await page.goto(`${studio}/set-up?code=guess`)
  await page.getByText('This code was used already').waitFor()
  await page.goto(address)
  await page.getByLabel('What is it called?').fill('Tern and Tide')
  await page.getByLabel('Host of your pages').fill('www tern')
  await page.getByLabel('Host of your short links').fill('t.tern.localhost')
  await page.getByLabel('Your name').fill('Mara Quill')
  await page.getByLabel('E-mail address').fill('mara@tern.example')
  await page.getByLabel('Password').fill('slow boats go far')
  await page.getByRole('button', { name: 'Set it up' }).click()
  await page.getByText('Write the host alone').waitFor()
  await look('set-up')
  assert.equal(await page.getByLabel('Your name').inputValue(), 'Mara Quill')
  await page.getByLabel('Host of your pages').fill('www.tern.localhost')
  await page.getByLabel('Password').fill('slow boats go far')
  await page.getByRole('button', { name: 'Set it up' }).click()
  await page.waitForURL(`${studio}/pages`)
  await page.getByText('There are no pages yet. Bring in a site you have').waitFor()

  // A short link on the own host, clicked by a visitor and counted.
  await page.goto(`${studio}/short-links`, { waitUntil: 'networkidle' })
  await page.getByLabel('Long address').fill('https://tides.example/tables/2026')
  await page.getByLabel('Short link', { exact: true }).fill('tides')
  await page.getByRole('button', { name: /^Make/ }).click()
  assert.equal(await page.getByTestId('made').innerText(), `http://t.tern.localhost:${port}/go/tides`)
  let clicked = { status: 0, location: '' }
  for (let tries = 0; tries < 40 && clicked.status !== 302; tries++) {
    clicked = await visit('t.tern.localhost', '/go/tides')
    await page.waitForTimeout(100)
  }
  assert.equal(clicked.location, 'https://tides.example/tables/2026')
  await page.locator('[data-clicks=tides]').getByText('1', { exact: true }).waitFor()

  // A page brought in and published.
  const zip = path.join(folder, 'brought.zip')
  writeFileSync(zip, zipOf({ 'index.html': '<!doctype html><title>Tern</title><main><h1>Tern</h1><p>By the sea.</p></main>' }))
  await page.goto(`${studio}/pages?bring-in`, { waitUntil: 'networkidle' })
  await page.getByLabel('Zip, HTML, Markdown or feed files').setInputFiles(zip)
  await page.getByRole('button', { name: 'Bring in 1 file' }).click()
  await page.getByRole('button', { name: 'Done' }).click()
  await page.getByRole('button', { name: /^Publish/ }).click()
  let read = { status: 0, body: '' }
  for (let tries = 0; tries < 60 && read.status !== 200; tries++) {
    read = await visit('www.tern.localhost', '/')
    await page.waitForTimeout(100)
  }
  assert.match(read.body, /<h1>Tern<\/h1><p>By the sea/)

  // Somebody is added, comes in with the one-time link, and may not see what is the owner's.
  await page.goto(`${studio}/settings/people`, { waitUntil: 'networkidle' })
  await page.getByLabel('Name').fill('Tobin Reeve')
  await page.getByLabel('E-mail address').fill('tobin@tern.example')
  await page.getByRole('button', { name: 'Add', exact: true }).click()
  const link = await page.getByTestId('one-time-link').innerText()
  await look('people')
  const other = await (await browser.newContext()).newPage()
  await other.goto(link)
  await other.getByLabel('Password').fill('tides and times')
  await other.getByRole('button', { name: 'Come in' }).click()
  await other.waitForURL(`${studio}/`)
  await other.goto(`${studio}/settings`)
  await other.getByLabel('Name of the site').waitFor()
  assert.equal(await other.getByRole('button', { name: 'Take it away' }).count(), 0)
  assert.equal(await other.getByRole('link', { name: 'People' }).count(), 0)
  assert.deepEqual(found, [])
})

test('data in real use is never taken for the demo, and an owner is found at the next start', async () => {
  await ended(npm)
  const demo = await run('start', 'is ready')
  assert.match(demo.words, /This data is in real use/)
  await ended(demo.child)
  const again = await run('serve', 'Ctrl+C')
  npm = again.child
  assert.match(again.words, /is ready/)
  assert.doesNotMatch(again.words, /set-up/)
  assert.equal((await visit('www.tern.localhost', '/')).status, 200)
})
