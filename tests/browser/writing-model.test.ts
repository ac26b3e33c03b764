import assert from 'node:assert/strict'
import path from 'node:path'
import { before, test } from 'node:test'
import { build } from 'esbuild'
import type { Frame, Page } from 'playwright-core'
import { numbersFrom } from '../unit/writing/numbers.ts'
import { aStudio, ownPage, untilSaved } from './studio.ts'

/** `WRITING_EDITS=20000 WRITING_SEED=7 npm test browser writing-model` goes on for as long as one likes. */
const EDITS = Number(process.env.WRITING_EDITS ?? 240)
const SEED = Number(process.env.WRITING_SEED ?? 1)
/** A page is written on this often before the next one is begun. */
const EDITS_A_PAGE = 60

const MAIN = `<h1>Four islands and &amp; a &lt;ferry&gt;</h1>
<p>The light on <a href="/hollin">Hollin</a> is
  old &mdash; <b>very <i>old</i></b>. AT&T wrote a < b.</p>
<p>A&nbsp;b <a href="https://gannet.example/?a=1&amp;b=2"><b>coats</b> and</a> &#x1F6A2; boats, e\u0301 and שלום world.</p>
<ul>
  <li>one <em>two</em>
  <li>three<ul><li>deep</li></ul></li>
</ul>
<table><tbody><tr><td>cell <a href="#x">x</a></td><td> y </td></tr><tr><th>head</th><td>last</td></tr></tbody></table>
<blockquote><p>said <a href="/q">so</a></p></blockquote>
<p>before <img src="data:image/gif;base64,R0lGODlhAQABAAAAACw=" alt="A" width="20" height="20"> after<br>next words</p>
<div>loose <b>words</b><p>block</p>tail</div>`
const pageOf = (main: string): string =>
  `<!doctype html><html><head><meta charset="utf-8"><title>Model</title></head><body><main>\n${main}\n</main></body></html>`

const KEYS = [' ', 'a', 'word', ' ab cd', '  ', 'Four.  Two spaces between', '. ', 'x ', ' y', '&', '&amp;', '<b>', ';']
const INSERTS = ['\u00a0', '😀', 'e\u0301', 'שלום', '👩‍🚀', '&nbsp;', '\u200d', 'ﬁ', '“q”']
const PASTED = [
  '<p>one</p><p>two <a href="https://x.example/">x</a></p>',
  'plain <b>bold</b> ',
  '<ul><li>x</li><li>y</li></ul>',
  '<p class="MsoNormal">Word  text&nbsp;<o:p></o:p></p><p class="MsoNormal">last</p>',
  '<h2>Heading</h2>',
  '<table><tr><td>1</td><td>2</td></tr></table>',
]

/** The compiler that runs these tests names functions by this; pages do not have it. */
const NAMES = 'globalThis.__name = (made) => made'

/** What a reader sees: the words in their lines, and the links with theirs. White space at the ends of a line does not show. */
function seen(): { words: string; links: string[] } {
  const trim = (text: string): string =>
    text
      .replace(/\u00a0/g, ' ')
      .replace(/ *[\n\t][ \t\n]*/g, '\n')
      .trim()
  const links = [...document.querySelectorAll<HTMLElement>('a[href]')].map((a) => `${a.getAttribute('href')} ${trim(a.innerText)}`)
  return { words: trim(document.body.innerText), links }
}

const studio = aStudio()
let scripts: { harness: string; frame: string }
before(async () => {
  const bundle = async (entry: string): Promise<string> => {
    const { outputFiles } = await build({
      entryPoints: [path.resolve(entry)],
      bundle: true,
      platform: 'browser',
      format: 'iife',
      target: 'es2022',
      jsx: 'automatic',
      write: false,
      logLevel: 'error',
      define: { 'process.env.NODE_ENV': '"production"' },
    })
    return outputFiles[0]?.text ?? ''
  }
  scripts = { harness: await bundle('tests/browser/model/harness.tsx'), frame: await bundle('src/islands/editor/frame/index.ts') }
})

/** The editor over one page, and the same source as any browser shows it. */
class Writing {
  readonly page: Page
  readonly frame: Frame
  readonly oracle: Page
  /** Errors that nobody caught, in the editor. */
  readonly faults: readonly string[]
  constructor(page: Page, frame: Frame, oracle: Page, faults: readonly string[]) {
    this.faults = faults
    this.page = page
    this.frame = frame
    this.oracle = oracle
  }

  static async open(source: string): Promise<Writing> {
    const context = await studio.browser.newContext({ viewport: { width: 900, height: 800 } })
    await context.addInitScript({ content: NAMES })
    await context.route('**/*', (route) => {
      const { pathname } = new URL(route.request().url())
      const html = (body: string): Promise<void> => route.fulfill({ contentType: 'text/html; charset=utf-8', body })
      if (pathname === '/harness.js') return route.fulfill({ contentType: 'text/javascript; charset=utf-8', body: scripts.harness })
      if (pathname === '/frame.js') return route.fulfill({ contentType: 'text/javascript; charset=utf-8', body: scripts.frame })
      if (pathname === '/pages/frame') return html('<!doctype html><script src="/frame.js"></script>')
      if (pathname !== '/') return html('')
      const page = JSON.stringify(source).replaceAll('<', '\\u003c')
      return html(`<!doctype html><script>modelPage=${page}</script><div id=root></div><script src="/harness.js"></script>`)
    })
    const oracle = await context.newPage()
    await oracle.goto('http://model.test/oracle')
    const page = await context.newPage()
    const faults: string[] = []
    page.on('pageerror', (error) => faults.push(error.stack ?? error.message))
    await page.goto('http://model.test/')
    await page.waitForSelector('iframe[data-shown=true]')
    const frame = page.frames().find((each) => each.url().includes('/pages/frame'))
    assert.ok(frame !== undefined)
    return new Writing(page, frame, oracle, faults)
  }

  text(): Promise<string> {
    return this.page.evaluate(() => window.model.text())
  }

  async shown(): Promise<{ words: string; links: string[] }> {
    return this.frame.evaluate(seen)
  }

  async read(): Promise<{ words: string; links: string[] }> {
    const text = await this.text()
    await this.oracle.evaluate((html) => {
      document.open()
      document.write(html)
      document.close()
    }, text)
    return this.oracle.evaluate(seen)
  }

  /** What was done has gone its way from the frame to the draft, and back. */
  async settle(): Promise<void> {
    const beat = (): Promise<void> => new Promise((resolve) => setTimeout(() => setTimeout(resolve)))
    await this.frame.evaluate(beat)
    await this.page.evaluate(beat)
    await this.frame.evaluate(beat)
  }

  /** Fails when the screen and the source differ for longer than a message is on its way. */
  async compare(step: string): Promise<void> {
    assert.deepEqual(this.faults, [], step)
    for (let tries = 0; ; tries++) {
      const [shown, read] = [await this.shown(), await this.read()]
      if (shown.words === read.words && shown.links.join('\n') === read.links.join('\n')) return
      if (tries === 4) {
        assert.deepEqual(
          shown,
          read,
          `${step}: what is shown (actual) is not what the source says (expected). Differed: ${await this.page.evaluate(() => window.model.differed.join())}. Source:\n${await this.text()}`,
        )
      }
      await this.page.waitForTimeout(60)
    }
  }

  /** Puts the caret somewhere in the words, or selects some of them. */
  async select(pick: (below: number) => number, isRange: boolean): Promise<void> {
    const [a, b, c] = [pick(1_000), pick(1_000), pick(14)]
    await this.frame.evaluate(
      ([where, offset, length, range]) => {
        document.body.focus()
        const texts: Text[] = []
        const walker = document.createTreeWalker(document.body, NodeFilter.SHOW_TEXT)
        for (let node = walker.nextNode(); node !== null; node = walker.nextNode()) {
          const isKept = node.parentElement?.closest('[data-thing]') !== null
          if ((node as Text).data.trim() !== '' && !isKept) texts.push(node as Text)
        }
        const at = texts.length === 0 ? undefined : texts[(where ?? 0) % texts.length]
        if (at === undefined) return void document.getSelection()?.collapse(document.body, 0)
        const from = (offset ?? 0) % (at.data.length + 1)
        const end = texts[(texts.indexOf(at) + ((length ?? 0) % 3 === 0 ? 1 : 0)) % texts.length] ?? at
        if (range === 1) document.getSelection()?.setBaseAndExtent(at, from, end, Math.min(end.data.length, from + (length ?? 0)))
        else document.getSelection()?.collapse(at, from)
      },
      [a, b, c, isRange ? 1 : 0],
    )
    await this.settle()
  }

  /** One edit, as a person would make it. @returns what it was */
  async edit(pick: (below: number) => number): Promise<string> {
    const { keyboard } = this.page
    const choose = <T>(list: readonly T[]): T => list[pick(list.length)] as T
    const kind = pick(22)
    await this.select(pick, kind >= 9 && pick(2) === 0)
    if (kind < 6) {
      const words = choose(KEYS)
      await keyboard.type(words)
      return `typed ${JSON.stringify(words)}`
    }
    if (kind < 8) {
      const words = choose(INSERTS)
      await keyboard.insertText(words)
      return `inserted ${JSON.stringify(words)}`
    }
    if (kind < 18) {
      const keys = [
        'Enter',
        'Backspace',
        'Delete',
        'Control+b',
        'Shift+Enter',
        'Tab',
        'Control+z',
        'Control+y',
        'Alt+ArrowDown',
        'Control+Backspace',
      ]
      const key = keys[kind - 8] ?? 'Enter'
      for (let times = key.startsWith('Control+z') ? 1 + pick(3) : 1; times > 0; times--) await keyboard.press(key)
      return `pressed ${key}`
    }
    if (kind === 18) {
      const html = choose(PASTED)
      await this.frame.evaluate((pasted) => {
        const data = new DataTransfer()
        data.setData('text/html', pasted)
        data.setData('text/plain', pasted.replace(/<[^>]*>/g, ''))
        document.body.dispatchEvent(new ClipboardEvent('paste', { clipboardData: data, bubbles: true, cancelable: true }))
      }, html)
      return `pasted ${html}`
    }
    if (kind === 19) {
      await this.frame.evaluate(() => {
        const event = new ClipboardEvent('cut', { clipboardData: new DataTransfer(), bubbles: true, cancelable: true })
        document.body.dispatchEvent(event)
        window.getSelection()?.collapseToEnd()
        const data = event.clipboardData
        if (data === null || data.getData('text/html') === '') return
        document.body.dispatchEvent(new ClipboardEvent('paste', { clipboardData: data, bubbles: true, cancelable: true }))
      })
      return 'cut, and pasted again'
    }
    if (kind === 20) {
      await this.drag(pick)
      return 'dragged'
    }
    const [which, number] = [pick(3), pick(20)]
    const did = await this.page.evaluate(
      ([way, at]) =>
        way === 0
          ? window.model.link(`/made-${at}`)
          : way === 1
            ? window.model.unlink(at ?? 0)
            : window.model.relink(at ?? 0, `/led-${at}?a=1&b=2`),
      [which, number],
    )
    return `${['linked', 'unlinked', 'led elsewhere'][which]} (${did})`
  }

  /** Drags what is selected by its middle to another line. */
  async drag(pick: (below: number) => number): Promise<void> {
    await this.select(pick, true)
    const boxes = await this.frame.evaluate((n) => {
      const range = document.getSelection()?.rangeCount === 0 ? null : document.getSelection()?.getRangeAt(0)
      const rect = range?.getClientRects()[0]
      const lines = [...document.querySelectorAll('p,li,td')]
      const to = lines[n % Math.max(1, lines.length)]?.getBoundingClientRect()
      if (rect === undefined || to === undefined || rect.width < 3) return null
      return [rect.left + rect.width / 2, rect.top + rect.height / 2, to.left + Math.min(40, to.width / 2), to.top + to.height / 2]
    }, pick(50))
    const place = await (await this.page.$('iframe'))?.boundingBox()
    if (boxes === null || place === null || place === undefined) return
    const [x, y, toX, toY] = boxes.map((at, i) => at + (i % 2 === 0 ? place.x : place.y)) as [number, number, number, number]
    if ([y, toY].some((at) => at < place.y || at > place.y + place.height)) return
    const { mouse } = this.page
    await mouse.move(x, y)
    await mouse.down()
    await mouse.move(x + 6, y + 2, { steps: 2 })
    await mouse.move(toX, toY, { steps: 3 })
    await mouse.up()
  }
}

test(`what is written is what the source says, after each of ${EDITS} edits (seed ${SEED})`, {
  timeout: 24 * 60 * 60 * 1000,
}, async (t) => {
  const counted: Record<string, number> = {}
  let writing: Writing | null = null
  let left = 0
  for (let edit = 0, round = 0; edit < EDITS; edit++) {
    const pick = numbersFrom(SEED * 1_000_003 + edit)
    if (writing === null || left === 0) {
      await writing?.page.context().close()
      writing = await Writing.open(pageOf(MAIN))
      left = EDITS_A_PAGE
      round++
    }
    const what = await writing.edit(pick)
    left--
    await writing.settle()
    const step = `seed ${SEED}, page ${round}, edit ${edit} (${what})`
    await writing.compare(step)
    const [verb = ''] = what.split(' ')
    counted[verb] = (counted[verb] ?? 0) + 1
    if (process.env.WRITING_EDITS !== undefined && edit % 500 === 499) console.log(`${edit + 1} edits: ${JSON.stringify(counted)}`)
  }
  t.diagnostic(JSON.stringify(counted))
  assert.ok(writing !== null)
  t.diagnostic(`differed: ${JSON.stringify(await writing.page.evaluate(() => window.model.differed))}`)
  await live(writing)
})

/** What the editor showed last is put on a page of the site and published: the live page must show the same. */
async function live(writing: Writing): Promise<void> {
  const shown = await writing.shown()
  const text = await writing.text()
  const main = text.slice(text.indexOf('<main>') + 6, text.indexOf('</main>'))
  const { page } = await studio.enter('tobin')
  const id = await ownPage(page, studio, '/writing/model.html', main)
  await untilSaved(page, studio, id, main.trim().slice(0, 40))
  const answer = await page.request.post(`${studio.copy.url}/api/v1/publications`, {
    headers: { Authorization: `Bearer ${studio.copy.token}` },
    data: { pages: [id] },
  })
  assert.ok(answer.ok(), await answer.text())
  const visitor = await studio.browser.newPage()
  await visitor.addInitScript({ content: NAMES })
  const at = `http://slow-ferry.localhost:${studio.copy.port}/writing/model.html`
  // Those who deliver follow what was published within two seconds.
  for (let tries = 0; (await visitor.goto(at))?.status() !== 200 && tries < 40; tries++) await visitor.waitForTimeout(100)
  await visitor.evaluate(() => {
    document.body.replaceChildren(document.querySelector('main') ?? '')
  })
  const delivered = await visitor.evaluate(seen)
  assert.equal(delivered.words, shown.words)
}
