// npm run screenshots: one picture of each main view, from the demo data of a running copy (npm start), into docs/screenshots.
import { mkdirSync } from 'node:fs'
import path from 'node:path'
import { chromium } from 'playwright-core'
import { CHROMIUM } from './chromium.mjs'
import { needDebian, projectFolder } from './prepare.mjs'

needDebian('chromium')
const port = Number(process.env.PORT ?? 4300)
const folder = path.resolve(process.argv[2] ?? path.join(projectFolder, 'docs/screenshots'))
const only = process.argv.slice(3)
mkdirSync(folder, { recursive: true })

const browser = await chromium.launch(CHROMIUM)
const context = await browser.newContext({ viewport: { width: 1280, height: 800 }, reducedMotion: 'reduce' })
const page = await context.newPage()
page.on('console', (message) => message.type() === 'error' && console.log(`${page.url()}: ${message.text()}`))
page.on('dialog', (dialog) => dialog.accept()) // what was filled in for a picture is not kept
const at = (route) => page.goto(`http://localhost:${port}${route}`, { waitUntil: 'networkidle' })
const phone = () => page.setViewportSize({ width: 390, height: 844 })
const desk = () => page.setViewportSize({ width: 1280, height: 800 })

async function editor() {
  await openEditor('/islands/skarrow.html')
  await page.frameLocator('iframe').getByText('waxed smock from').click()
  await page.waitForTimeout(300)
}

/** Chooses words of the shown page, as a hand with a mouse would. */
async function chooseWords(words) {
  await page
    .frames()
    .find((frame) => frame.url().includes('/pages/frame'))
    .evaluate((wanted) => {
      document.body.focus()
      const walker = document.createTreeWalker(document.body, NodeFilter.SHOW_TEXT)
      for (let node = walker.nextNode(); node !== null; node = walker.nextNode()) {
        const at = node.data.indexOf(wanted)
        if (at !== -1) return document.getSelection().setBaseAndExtent(node, at, node, at + wanted.length)
      }
    }, words)
  await page.waitForTimeout(300)
}

async function openEditor(path) {
  const { items } = await (await page.request.get(`http://localhost:${port}/api/v1/pages?path=${path}`)).json()
  await at(`/pages/${items[0].id}`)
  await page.waitForSelector('iframe[data-shown=true]')
  await page.waitForTimeout(300)
}

/** A copy that has just begun reads its links first. */
async function deskThatKnows() {
  await at('/')
  await page.getByText(/links on \d+ pages/).waitFor({ timeout: 60_000 })
}

const views = {
  desk: deskThatKnows,
  pages: () => at('/pages'),
  editor,
  'editor-picture': async () => {
    await openEditor('/walks/causeway.html')
    await page.frameLocator('iframe').locator('img[alt="The Slow Ferry"]').click()
    await page.waitForTimeout(500)
  },
  'editor-words': async () => {
    await openEditor('/islands/great-mew.html')
    await chooseWords('a view of Tern Holm')
    await page.keyboard.press('Control+k')
    await page.keyboard.insertText('tern')
    await page.waitForTimeout(700)
  },
  publish: () => at('/publications'),
  'short-links': async () => {
    await at('/short-links')
    await page
      .getByLabel('Long address')
      .fill(`http://https://kelp-lane-books.localhost:${port + 1}/books/birds-of-the-skerries?via=slow-ferry&utm_source=mail`)
    await page.waitForTimeout(900)
  },
  'short-link': async () => {
    const { items } = await (await page.request.get(`http://localhost:${port}/api/v1/short-links?slug=oilskin`)).json()
    await at(`/short-links/${items[0].id}`)
    await page.waitForTimeout(1_200)
  },
  links: async () => {
    await at('/links')
    await page.waitForTimeout(700)
    for (const i of [9, 10, 12]) await page.locator('[data-rows] input[type=checkbox]').nth(i).check()
  },
  'links-review': async () => {
    await at('/links?finding=unmarked')
    await page.getByRole('button', { name: 'Mark them as paid' }).click()
    await page.getByRole('button', { name: 'Show what would change' }).click()
    await page.waitForTimeout(800)
  },
  rules: async () => {
    await at('/rules?mark-partners')
    await page.waitForTimeout(1200)
  },
  redirects: async () => {
    await at('/redirects')
    await page.getByPlaceholder('/an/address to try').fill('/ferries/timetable')
    await page.waitForTimeout(1200)
  },
  'redirects-review': async () => {
    await at('/redirects?review=chain')
    await page.waitForTimeout(1200)
  },
  rehearsal: async () => {
    await at('/redirects')
    await page.getByRole('button', { name: 'Rehearse a move' }).click()
    await page
      .getByLabel('Or pasted here, one a line')
      .fill(
        '/old/skarrow.htm\n/islands/great-mew/index.php\n/ferry-times.html\n/walks/the-causway.html\n/rooms-by-quay.php\n/shop/prints.html\n',
      )
    await page.getByRole('button', { name: 'Rehearse', exact: true }).click()
    await page.waitForTimeout(4_000)
  },
  partners: async () => {
    await at('/partners')
    await page.getByRole('button', { name: /^Gannet/ }).click()
    await page.getByRole('button', { name: /^Link it/ }).waitFor()
  },
  earnings: async () => {
    await at('/partners?view=earnings')
    await page.waitForTimeout(800)
  },
  'desk-phone': async () => {
    await page.emulateMedia({ colorScheme: 'light' })
    await phone()
    await deskThatKnows()
  },
  'links-phone': async () => {
    await at('/links')
    await page.waitForTimeout(700)
  },
  'bring-in': async () => {
    await desk()
    await at('/pages?bring-in')
    await page.waitForTimeout(400)
  },
}

await at('/sign-in')
await page.getByLabel('E-mail address').fill('mara@slow-ferry.example')
await page.getByLabel('Password').fill('ten-past-seven')
await page.getByRole('button', { name: 'Sign in' }).click()
await page.waitForURL(`http://localhost:${port}/`)
for (const [name, open] of Object.entries(views)) {
  await open()
  if (only.length === 0 || only.includes(name)) await page.screenshot({ path: path.join(folder, `${name}.png`) })
}
await browser.close()
