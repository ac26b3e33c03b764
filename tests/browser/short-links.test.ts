import assert from 'node:assert/strict'
import { request as ask } from 'node:http'
import { createRequire } from 'node:module'
import { test } from 'node:test'
import type jsqrType from 'jsqr'
import type { Page } from 'playwright-core'
import { PNG } from 'pngjs'
import { aStudio, axeFinds, goTo } from './studio.ts'

// The package is CommonJS whose types say otherwise.
const jsqr = createRequire(import.meta.url)('jsqr') as typeof jsqrType
const studio = aStudio()

/** What a visitor is answered at a short link, once the change has come to those who answer. */
async function untilLeads(path: string, expected: string, headers: Readonly<Record<string, string>> = {}): Promise<void> {
  const once = (): Promise<string> =>
    new Promise((resolve, reject) =>
      ask(
        { port: studio.copy.port, path, headers: { Host: 'sferry.localhost', 'User-Agent': 'Mozilla/5.0 Firefox/140.0', ...headers } },
        (response) => {
          response.resume()
          resolve(response.headers.location ?? String(response.statusCode))
        },
      )
        .on('error', reject)
        .end(),
    )
  let found = ''
  for (let tries = 0; tries < 40; tries++) {
    found = await once()
    if (found === expected) return
    await new Promise((resolve) => setTimeout(resolve, 100))
  }
  assert.equal(found, expected)
}

async function openLink(page: Page, slug: string): Promise<void> {
  const { items } = (await (await page.request.get(`${studio.copy.url}/api/v1/short-links?slug=${slug}`)).json()) as {
    items: { id: string }[]
  }
  await goTo(page, studio, `/short-links/${items[0]?.id}`)
}

test('from a bookmark one key makes the link of any page, and it is copied', async () => {
  const { page } = await studio.enter('mara')
  const paste = 'https://tides.example/knots/bowline?utm_source=x'
  await goTo(page, studio, `/short-links?paste=${encodeURIComponent(paste)}&title=${encodeURIComponent('The bowline')}`)
  await page.getByText('Easy to say', { exact: true }).waitFor()
  await page.keyboard.press('Enter')
  await page.getByText('Ready, and copied').waitFor()
  assert.match(await page.evaluate(() => navigator.clipboard.readText()), /sferry\.localhost:\d+\/go\/bowline$/)
  await untilLeads('/go/bowline', paste)
  await page.getByText('From any page in two keys').click()
  const code = await page.getByText('Short link of this page').getAttribute('href')
  assert.match(code ?? '', /^javascript:void open\('http:\/\/localhost:\d+\/short-links\?paste='/)
})

test('a campaign makes a link for each place; they are found by its tag, and their codes printed on one sheet', async () => {
  const { page } = await studio.enter('mara')
  await goTo(page, studio, '/short-links')
  await page.getByRole('button', { name: 'A campaign' }).click()
  const dialog = page.getByRole('dialog')
  await dialog.getByLabel('They all lead to').fill('https://tides.example/spring-walks')
  await dialog.getByLabel('What the campaign is called').fill('Spring Walks')
  await dialog.getByRole('textbox', { name: 'Place 3' }).fill('harbour board')
  await dialog.getByRole('button', { name: 'Make 3 links' }).click()
  await dialog.getByRole('link', { name: 'Print their codes' }).click()
  await page.getByRole('heading', { name: 'Codes to print' }).waitFor()
  assert.equal(await page.locator('main svg[role=img]').count(), 3)
  assert.deepEqual(await axeFinds(page), [])
  await goTo(page, studio, '/short-links?tag=spring%20walks')
  await page.getByText('3 short links', { exact: true }).waitFor()
  for (const box of await page.getByLabel(/^Choose /).all()) await box.check()
  await page.getByRole('button', { name: 'Change their destinations' }).click()
  await dialog.getByLabel('What stands in their destinations').fill('spring-walks')
  await dialog.getByLabel('Write in its place').fill('may-walks')
  await dialog.getByText('https://tides.example/may-walks?utm_source=leaflet', { exact: false }).first().waitFor()
  await dialog.getByRole('button', { name: 'Change their destinations: 3' }).click()
  await page.getByText('3 short links changed.').waitFor()
  await page.getByRole('button', { name: 'Undo' }).click()
  await page.getByText('Taken back: 3 short links as before.').waitFor()
})

test('who goes where, and when, is set on one link’s page, and so it is answered from outside', async () => {
  const { page, errors } = await studio.enter('tobin')
  await openLink(page, 'hide')
  const before = (await page.getByRole('region', { name: 'Where it leads' }).locator('a.address').getAttribute('href')) ?? ''
  await page.getByRole('button', { name: 'Change Who goes where, and when' }).click()
  const dialog = page.getByRole('dialog')
  await dialog.getByRole('button', { name: 'One more destination' }).click()
  await dialog.getByLabel('To', { exact: true }).first().fill('https://tides.example/de')
  await dialog.getByLabel('Readers of these languages').fill('de')
  await dialog.getByLabel('Until').first().fill('2020-05-01T12:00')
  await dialog.getByRole('button', { name: 'Save' }).click()
  await page.getByText('over', { exact: true }).waitFor()
  await untilLeads('/go/hide', '404')
  await page.getByRole('button', { name: 'Change Who goes where, and when' }).click()
  await dialog.getByLabel('Until').first().fill('')
  await dialog.getByRole('button', { name: 'Share them out' }).click()
  await dialog.getByLabel('Or this').fill('https://tides.example/other-hide')
  await dialog.getByLabel('Share').first().fill('0')
  await dialog.getByRole('button', { name: 'Save' }).click()
  await page.getByText('0 in a hundred here, 100 in a hundred to tides.example/other-hide', { exact: false }).waitFor()
  await untilLeads('/go/hide', 'https://tides.example/other-hide')
  await untilLeads('/go/hide', 'https://tides.example/de', { 'Accept-Language': 'de-CH' })
  await page.getByText('Shared out', { exact: true }).waitFor()
  await page.getByRole('button', { name: 'Bring back version 1' }).click()
  await untilLeads('/go/hide', before)
  assert.deepEqual(errors, [])
})

test('a link gets another name and further spellings, its code is read off the screen, its clicks are drawn and written', async () => {
  const { page } = await studio.enter('mara')
  await openLink(page, 'birds')
  await page.getByRole('button', { name: 'Change What it answers to' }).click()
  const dialog = page.getByRole('dialog')
  await dialog.getByLabel('Another slug, or a new name for it').fill('seabirds')
  await dialog.getByRole('button', { name: 'Rename to it' }).click()
  await dialog.getByRole('button', { name: /^seabird / }).click()
  await dialog.getByRole('button', { name: 'Save' }).click()
  await page.getByRole('heading', { name: /go\/seabirds$/ }).waitFor()
  const leads = (await page.getByRole('region', { name: 'Where it leads' }).locator('a.address').getAttribute('href')) ?? ''
  for (const slug of ['seabirds', 'birds', 'seabird']) await untilLeads(`/go/${slug}`, leads)
  const picture = page.getByRole('img', { name: /^QR code of/ })
  await picture.scrollIntoViewIfNeeded()
  await page.waitForFunction(() => [...document.images].every(({ complete }) => complete))
  const { width, height, data } = PNG.sync.read(await picture.screenshot({ scale: 'css' }))
  assert.match(jsqr(new Uint8ClampedArray(data), width, height)?.data ?? 'unread', /sferry\.localhost:\d+\/go\/seabirds$/)
  const people = page.getByText(/times in 30 days/)
  await people.waitFor()
  await page.locator('[role=img] svg path').first().waitFor({ state: 'attached' })
  await page.getByText('As a table').click()
  assert.equal(await page.locator('table tbody tr').count(), 30)
  await page.getByRole('button', { name: 'a year' }).click()
  await page.getByText(/times in a year/).waitFor()
  assert.deepEqual(await axeFinds(page), [])
})

test('once the site turns it on, its pages tell what was looked at and which link was followed, and nothing stays with the reader', async () => {
  const { page, context } = await studio.enter('mara')
  await goTo(page, studio, '/settings')
  await page.getByLabel(/^Count how often pages are looked at/).check()
  await page.getByRole('form', { name: 'Counting' }).getByRole('button', { name: 'Save' }).click()
  await page.getByText('Saved. It holds within seconds.').waitFor()
  assert.deepEqual(await axeFinds(page), [])
  const seen = async (): Promise<{ views: number; links: number }> =>
    (
      (await (await page.request.get(`${studio.copy.url}/api/v1/counting/seen?days=1`)).json()) as {
        total: { views: number; links: number }
      }
    ).total
  const before = await seen()
  const reader = await context
    .browser()
    ?.newContext({ userAgent: 'Mozilla/5.0 (X11; Linux x86_64) AppleWebKit/537.36 Chrome/140.0 Safari/537.36' })
  const shown = await reader?.newPage()
  assert.ok(reader !== undefined && shown !== undefined)
  const at = `http://slow-ferry.localhost:${studio.copy.port}/what-to-pack.html`
  for (let tries = 0; tries < 50; tries++) {
    await shown.goto(at)
    if (await shown.evaluate(() => document.querySelector('script[src="/~rope/count.js"]') !== null)) break
    await shown.waitForTimeout(100)
  }
  await shown.locator('main a[href*="gannet-line"]').first().click()
  const after = async (): Promise<boolean> => {
    const now = await seen()
    return now.views > before.views && now.links === before.links + 1
  }
  for (let tries = 0; tries < 80 && !(await after()); tries++) await page.waitForTimeout(100)
  assert.ok(await after(), 'the view and the click are counted')
  assert.deepEqual(await reader.cookies(), [])
  await reader.close()
})
