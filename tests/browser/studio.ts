import { readFileSync } from 'node:fs'
import { after, afterEach, before, type TestContext } from 'node:test'
import { setTimeout as wait } from 'node:timers/promises'
import { fileURLToPath } from 'node:url'
import type axe from 'axe-core'
import { type Browser, type BrowserContext, chromium, type Frame, type Page } from 'playwright-core'
import { CHROMIUM } from '../../bin/chromium.mjs'
import { type Copy, startCopy } from '../integration/copy.ts'

/** A running copy with the demo, and a browser to use it with. */
export interface Studio {
  copy: Copy
  browser: Browser
  /** Signs somebody in, in a browser of their own, which shows nothing yet. Errors on the console fail the test that looks at `errors`. */
  enter(
    name: 'mara' | 'tobin' | 'deckhand',
    options?: Parameters<Browser['newContext']>[0],
  ): Promise<{ page: Page; context: BrowserContext; errors: string[] }>
}

declare global {
  interface Window {
    axe: typeof axe
  }
}
/** Axe as a script for a page; as the package gives it to programs it is twice as long. */
const AXE = readFileSync(fileURLToPath(import.meta.resolve('axe-core/axe.min.js')), 'utf8')
/** For a page, a context or the browser to close. */
const CLOSE_MAX_MS = 15_000

/** Whether something was done before its time was over. */
const inTime = (work: Promise<unknown> | undefined): Promise<boolean> =>
  Promise.race([Promise.resolve(work).then(() => true), wait(CLOSE_MAX_MS, false, { ref: false })])

let shared: Studio | undefined

/**
 * One copy for all files of tests that this process runs: alone that is one, in a lane (lanes.json) several. A test that changes
 * what the whole site goes by takes it back, and counts nothing that others may add to.
 */
export function aStudio(): Studio {
  shared ??= startStudio()
  return shared
}

function startStudio(): Studio {
  const studio = {} as Studio
  /** Contexts of the test that runs alone. */
  const opened: BrowserContext[] = []
  /**
   * One context a person, with what it has loaded and compiled; its pages are closed after each test, and what they stored goes.
   * A test that wants another screen, or the same person twice, gets a context of its own.
   */
  const kept = new Map<string, { context: BrowserContext; isTaken: boolean }>()
  /** The sessions of those who signed in once. */
  const signedIn = new Map<string, Awaited<ReturnType<BrowserContext['cookies']>>>()

  async function contextFor(name: string, options: Parameters<Browser['newContext']>[0]): Promise<BrowserContext> {
    const open = (): Promise<BrowserContext> =>
      studio.browser.newContext({
        viewport: { width: 1280, height: 800 },
        reducedMotion: 'reduce',
        permissions: ['clipboard-read', 'clipboard-write'],
        ...options,
      })
    const before = kept.get(name)
    if (options !== undefined || before?.isTaken === true) {
      const context = await open()
      opened.push(context)
      return context
    }
    const context = before?.context ?? (await open())
    kept.set(name, { context, isTaken: true })
    return context
  }

  before(async () => {
    studio.copy = await startCopy({ withStandIns: true })
    studio.browser = await chromium.launch(CHROMIUM)
    studio.enter = async (name, options) => {
      const context = await contextFor(name, options)
      const page = await context.newPage()
      const errors: string[] = []
      page.on('console', (message) => message.type() === 'error' && errors.push(`${message.text()} (${message.location().url})`))
      page.on('pageerror', (error) => errors.push(error.message))
      await context.addCookies(signedIn.get(name) ?? [])
      // The first time, and after a test that ended the session.
      const { url } = studio.copy
      if (!signedIn.has(name) || (await context.request.get(`${url}/api/v1/pages?limit=1`)).status() === 401) {
        await page.goto(`${url}/sign-in`)
        await signIn(page, url, name)
        signedIn.set(name, await context.cookies())
      }
      return { page, context, errors }
    }
  })
  // A screen that nobody looks at any more still follows the log, and takes its share of the two cores.
  afterEach(async () => {
    await Promise.all(opened.splice(0).map((each) => inTime(each.close())))
    for (const [name, { context, isTaken }] of kept) {
      if (!isTaken) continue
      // A page that does not close, which Chromium leaves one of some hundred, stays behind with its context.
      if (await inTime(leaveNothing(context, studio.copy.url))) kept.set(name, { context, isTaken: false })
      else kept.delete(name)
    }
  })
  after(async () => {
    // A browser that does not close must not keep the server; it goes with this process.
    await inTime(studio.browser?.close())
    await studio.copy?.stop()
  })
  return studio
}

/** Closes the pages of a context and forgets what they stored, their cookies too. */
async function leaveNothing(context: BrowserContext, url: string): Promise<void> {
  const [page, ...others] = context.pages()
  await Promise.all([context.clearCookies(), ...others.map((each) => each.close())])
  if (page === undefined) return
  const session = await context.newCDPSession(page)
  await session.send('Storage.clearDataForOrigin', { origin: url, storageTypes: 'local_storage,indexeddb,websql,cache_storage' })
  await page.close()
}

async function signIn(page: Page, url: string, name: string): Promise<void> {
  await page.getByLabel('E-mail address').fill(`${name}@slow-ferry.example`)
  await page.getByLabel('Password').fill('ten-past-seven')
  await page.getByRole('button', { name: 'Sign in' }).click()
  await page.waitForURL(`${url}/`)
}

/**
 * What axe finds against WCAG 2.2 A and AA, in words, and then in the dark, where colours alone are others. Where a window is open
 * it alone is judged: what lies under it was, as a view. The sandboxed page that people wrote is not ours to judge.
 */
export async function axeFinds(page: Page): Promise<string[]> {
  if (!(await page.evaluate(() => 'axe' in window))) await page.evaluate(AXE)
  const found = (options: axe.RunOptions): Promise<string[]> =>
    page.evaluate(async (given) => {
      const windows = document.querySelectorAll('[role=dialog]:not([hidden]), [role=alertdialog]:not([hidden])')
      const where = { include: [windows[windows.length - 1] ?? document.documentElement], exclude: [['iframe']] }
      const { violations } = await window.axe.run(where as axe.ElementContext, { ...given, resultTypes: ['violations'] })
      return violations.map(({ id, nodes }) => `${id}: ${nodes.map(({ target }) => target.join(' ')).join('; ')}`)
    }, options)
  const light = await found({ runOnly: ['wcag2a', 'wcag2aa', 'wcag21a', 'wcag21aa', 'wcag22aa', 'best-practice'] })
  await page.emulateMedia({ colorScheme: 'dark' })
  const dark = await found({ runOnly: { type: 'rule', values: ['color-contrast'] } })
  await page.emulateMedia({ colorScheme: 'light' })
  return [...light, ...dark]
}

/** Opens the editor of a demo page and waits until the page is shown in it. */
export async function openPage(page: Page, studio: Studio, at: string): Promise<string> {
  const { items } = (await (await page.request.get(`${studio.copy.url}/api/v1/pages?path=${at}`)).json()) as { items: { id: string }[] }
  const id = items[0]?.id ?? ''
  await page.goto(`${studio.copy.url}/pages/${id}`)
  await page.waitForSelector('iframe[data-shown=true]')
  return id
}

/** Selects words in the shown page, as a hand with a mouse would. */
export async function selectWords(page: Page, words: string): Promise<void> {
  await pageFrame(page).evaluate((wanted) => {
    document.body.focus()
    const walker = document.createTreeWalker(document.body, NodeFilter.SHOW_TEXT)
    for (let node = walker.nextNode(); node !== null; node = walker.nextNode()) {
      const at = (node as Text).data.indexOf(wanted)
      if (at === -1) continue
      document.getSelection()?.setBaseAndExtent(node, at, node, at + wanted.length)
      return
    }
    throw new Error(`"${wanted}" is not on the page`)
  }, words)
  await page.getByRole('heading', { name: `Link “${words}”` }).waitFor()
}

/** The source of a draft as the server has it. */
export async function sourceOf(page: Page, studio: Studio, id: string): Promise<string> {
  return ((await (await page.request.get(`${studio.copy.url}/api/v1/pages/${id}`)).json()) as { source: string }).source
}

/** Waits until the draft that the server has holds `part`, or holds it no longer; a save comes half a second after a change. */
export async function untilSaved(page: Page, studio: Studio, id: string, part: string, isThere = true): Promise<string> {
  let source = ''
  for (let tries = 0; tries < 60; tries++) {
    source = await sourceOf(page, studio, id)
    if (source.includes(part) === isThere) return source
    await page.waitForTimeout(100)
  }
  throw new Error(`The draft ${isThere ? 'never came to hold' : 'still holds'} ${part}:\n${source}`)
}

/** The frame in which the page is written on. */
export function pageFrame(page: Page): Frame {
  const frame = page.frames().find((each) => each.url().includes('/pages/frame'))
  if (frame === undefined) throw new Error('no page is shown')
  return frame
}

/** Puts the caret behind some words of the shown page. */
export async function caretBehind(page: Page, words: string): Promise<void> {
  await pageFrame(page).evaluate((wanted) => {
    document.body.focus()
    const walker = document.createTreeWalker(document.body, NodeFilter.SHOW_TEXT)
    for (let node = walker.nextNode(); node !== null; node = walker.nextNode()) {
      const at = (node as Text).data.indexOf(wanted)
      if (at !== -1 && node.parentElement?.closest('[data-thing]') === null)
        return document.getSelection()?.collapse(node, at + wanted.length)
    }
    throw new Error(`"${wanted}" is not on the page`)
  }, words)
  await untilWritingThere(page)
  await page.waitForTimeout(100) // the page's own view of the caret follows the browser's
}

/** Waits until the keyboard writes into the shown page: both sides of the frame know that it has the focus. */
export async function untilWritingThere(page: Page): Promise<void> {
  await page.waitForFunction(() => document.activeElement?.tagName === 'IFRAME')
  await pageFrame(page).waitForFunction(() => document.hasFocus() && document.activeElement === document.body)
}

/** A page of its own for a test, with this between its `main` tags; answers its id, opened. */
export async function ownPage(page: Page, studio: Studio, path: string, main: string): Promise<string> {
  const at = `${studio.copy.url}/api/v1/pages`
  const headers = { Authorization: `Bearer ${studio.copy.token}` }
  const made = (await (
    await page.request.post(at, { headers, data: { path, title: path.replace(/\W+/g, ' '), joinsMenus: false } })
  ).json()) as {
    id: string
    version: number
  }
  const source = await sourceOf(page, studio, made.id)
  const from = source.indexOf('<main')
  const start = source.indexOf('>', from) + 1
  const to = source.indexOf('</main>')
  const answer = await page.request.patch(`${at}/${made.id}`, {
    headers,
    data: { version: made.version, patchSets: [[{ from: start, to, insert: `\n${main}\n` }]] },
  })
  if (!answer.ok()) throw new Error(await answer.text())
  await openPage(page, studio, path)
  return made.id
}

/** Goes to the field for the destination by its key. The key is told to the studio by the frame, a moment later. */
export async function toLinkField(page: Page): Promise<void> {
  await page.keyboard.press('Control+k')
  await page.waitForFunction(() => document.activeElement?.matches('[data-link-field]') === true)
}

/** Goes to a screen, and waits until it answers. */
export async function goTo(page: Page, studio: Studio, route: string): Promise<void> {
  await page.goto(`${studio.copy.url}${route}`)
  await untilAwake(page)
}

/** Waits until the screen answers: every part of it that needs the script has it. */
export async function untilAwake(page: Page): Promise<void> {
  await page.waitForFunction(() => document.querySelector('astro-island[ssr]') === null)
}

/** Asks the copy's API with its token, outside of any browser. Throws where it refuses. */
export async function askCopy<T>(studio: Studio, method: 'GET' | 'POST' | 'PUT', route: string, body?: unknown): Promise<T> {
  const headers = { Authorization: `Bearer ${studio.copy.token}`, 'Content-Type': 'application/json' }
  const answer = await fetch(`${studio.copy.url}/api/v1${route}`, {
    method,
    headers,
    ...(body !== undefined && { body: JSON.stringify(body) }),
  })
  if (!answer.ok) throw new Error(await answer.text())
  return (await answer.json()) as T
}

/** The rules of the site are after a test what they were before it. */
export async function keepRules(t: TestContext, studio: Studio): Promise<void> {
  const read = () => askCopy<{ version: number; rules: unknown[]; partnersArePaid: boolean }>(studio, 'GET', '/rules')
  const { rules, partnersArePaid } = await read()
  t.after(async () => askCopy(studio, 'PUT', '/rules', { version: (await read()).version, rules, partnersArePaid }))
}
