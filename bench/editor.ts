import { build } from 'esbuild'
import { type Browser, chromium, type Frame, type Page } from 'playwright-core'
import { CHROMIUM } from '../bin/chromium.mjs'
import { median, type Row } from './measure.ts'
import { openStudio, type Studio, signIn } from './studio.ts'

const WORDS = 20_000
const LINKS = 300
const KEYS = 60
const ROUNDS = 5

/** A long article: 400 paragraphs, a link in most of them. The same every time. */
export function longArticle(): string {
  const some = 'the boat left the quay at ten past seven and nobody on it was in a hurry because the tide was late again'.split(' ')
  const paragraphs = Array.from({ length: WORDS / 50 }, (_, p) => {
    const words = Array.from({ length: 50 }, (_, w) => some[(p * 7 + w * 3) % some.length])
    if (p < LINKS) words[20] = `<a href="https://shop-${p % 40}.example/things/${p}">${words[20]} ${p}</a>`
    return `    <p>${words.join(' ')}.</p>`
  })
  return `<h1>A long crossing</h1>\n${paragraphs.join('\n')}`
}

/** Presses keys in the middle of the text and answers how long each took until it was painted, in milliseconds. */
async function typed(page: Page, frame: Frame): Promise<number[]> {
  await frame.evaluate(() => {
    const times: number[] = []
    Object.assign(window, { keyTimes: times })
    document.addEventListener(
      'keydown',
      () => {
        const startedAt = performance.now()
        requestAnimationFrame(() => {
          const painted = new MessageChannel()
          painted.port1.onmessage = () => times.push(performance.now() - startedAt)
          painted.port2.postMessage(null)
        })
      },
      true,
    )
  })
  await frame.evaluate(() => {
    const paragraphs = document.querySelectorAll('p')
    const text = paragraphs[200]?.firstChild
    document.querySelector<HTMLElement>('[contenteditable=true]')?.focus()
    if (text !== null && text !== undefined) document.getSelection()?.setBaseAndExtent(text, 5, text, 5)
  })
  await page.waitForTimeout(300)
  for (let i = 0; i < KEYS; i++) {
    await page.keyboard.press('abcdefghij'.charAt(i % 10))
    await page.waitForTimeout(25)
  }
  await page.waitForTimeout(200)
  return frame.evaluate(() => (window as unknown as { keyTimes: number[] }).keyTimes)
}

const p95 = (times: readonly number[]): number => [...times].sort((a, b) => a - b)[Math.floor(times.length * 0.95)] ?? 0

/** A key typed in a page of 300 links and 20,000 words, against the bare editor component on the same text. */
export async function editor(): Promise<Row> {
  const article = longArticle()
  const studio = await openStudio()
  const pageId = await longPage(studio, article)
  const browser = await chromium.launch(CHROMIUM)
  try {
    const ours: number[] = []
    const peer: number[] = []
    const opened: number[] = []
    for (let round = 0; round < ROUNDS; round++) {
      const mine = await oursOnce(browser, studio.url, pageId)
      ours.push(p95(mine.times))
      opened.push(mine.openedMs)
      peer.push(p95(await peerOnce(browser, article)))
    }
    return {
      name: 'editor',
      ours: median(ours),
      peer: median(peer),
      unit: 'ms, p95',
      goal: 1.5,
      isAtMost: true,
      note: `first text after ${Math.round(median(opened))} ms`,
    }
  } finally {
    await browser.close()
    await studio.stop()
  }
}

/** When the first text of this document was painted, in milliseconds of the clock (W3C Paint Timing). */
function firstPaint(): number {
  const paint = performance.getEntriesByName('first-contentful-paint')[0]
  if (paint === undefined) throw new Error('Nothing was painted')
  return performance.timeOrigin + paint.startTime
}

async function oursOnce(browser: Browser, url: string, pageId: string): Promise<{ times: number[]; openedMs: number }> {
  const page = await browser.newPage({ viewport: { width: 1280, height: 800 } })
  await signIn(page, url)
  await page.waitForLoadState('networkidle')
  await page.goto(`${url}/pages/${pageId}`, { waitUntil: 'commit' })
  await page.waitForSelector('iframe[data-shown=true]')
  const frame = page.frames().find((each) => each.url().includes('/pages/frame'))
  if (frame === undefined) throw new Error('The page is not shown')
  await page.waitForTimeout(800)
  const openedMs = (await frame.evaluate(firstPaint)) - (await page.evaluate(() => performance.timeOrigin))
  const times = await typed(page, frame)
  await page.close()
  return { times, openedMs }
}

async function peerOnce(browser: Browser, article: string): Promise<number[]> {
  const { outputFiles } = await build({
    entryPoints: ['bench/bare-editor.ts'],
    bundle: true,
    write: false,
    format: 'iife',
    minify: true,
    define: { 'process.env.NODE_ENV': '"production"' },
  })
  const page = await browser.newPage({ viewport: { width: 676, height: 560 } })
  await page.setContent('<!doctype html><body style="font:18px/1.65 Georgia,serif"></body>')
  await page.addScriptTag({ content: outputFiles[0]?.text ?? '' })
  await page.evaluate((html) => window.openBare(html), article)
  await page.waitForTimeout(500)
  const times = await typed(page, page.mainFrame())
  await page.close()
  return times
}

async function longPage({ url, token }: Studio, article: string): Promise<string> {
  const headers = { Authorization: `Bearer ${token}`, 'Content-Type': 'application/json' }
  const made = (await (
    await fetch(`${url}/api/v1/pages`, { method: 'POST', headers, body: JSON.stringify({ path: '/long.html', title: 'A long crossing' }) })
  ).json()) as { id: string; version: number }
  const { source } = (await (await fetch(`${url}/api/v1/pages/${made.id}`, { headers })).json()) as { source: string }
  const at = source.indexOf('<p></p>')
  await fetch(`${url}/api/v1/pages/${made.id}`, {
    method: 'PATCH',
    headers,
    body: JSON.stringify({ version: made.version, patchSets: [[{ from: at, to: at + 7, insert: article }]] }),
  })
  return made.id
}
