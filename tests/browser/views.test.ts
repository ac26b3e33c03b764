import assert from 'node:assert/strict'
import { mkdirSync, writeFileSync } from 'node:fs'
import path from 'node:path'
import { test } from 'node:test'
import type { Page } from 'playwright-core'
import { aStudio, axeFinds, goTo, openPage, selectWords, toLinkField } from './studio.ts'

const studio = aStudio()

// Words of our own trade say nothing to somebody who writes pages, and a phone has no Ctrl key.
const JARGON = /\b(?:utf-8|bulk|kept as it is|named nowhere live|Press Ctrl)\b/i
const PHONE = { width: 390, height: 844 }
const DESK = { width: 1280, height: 800 }

const VIEWS = [
  ['Desk', '/'],
  ['Pages', '/pages'],
  ['Rules', '/rules?mark-partners'],
  ['Short links', '/short-links'],
  ['codes to print', '/short-links/codes'],
  ['Redirects', '/redirects'],
  ['Changes made', '/changes'],
  ['a review of redirects', '/redirects?review=chain'],
  ['a new redirect', '/redirects?from=/old'],
  ['Partners', '/partners'],
  ['partners side by side', '/partners?view=compare'],
  ['phrases', '/partners?view=phrases'],
  ['disclosure', '/partners?view=disclosure'],
  ['earnings', '/partners?view=earnings'],
  ['bring in', '/pages?bring-in'],
  ['Menus', '/menus'],
  ['Shared blocks', '/blocks'],
  ['Files', '/files'],
  ['Waiting links', '/waiting'],
  ['what differs', '/publications'],
  ['Links', '/links'],
  ['Settings', '/settings'],
  ['People', '/settings/people'],
  ['API tokens', '/settings/tokens'],
  ['Your password', '/settings/password'],
] as const

test('every view fits a phone and speaks no jargon of ours, axe finds nothing in it, light and dark, and none writes errors to the console', async () => {
  const { page, errors } = await studio.enter('mara', { viewport: PHONE })
  const found: string[] = []
  const look = async (view: string): Promise<void> => {
    found.push(...(await axeFinds(page)).map((words) => `${view}: ${words}`))
  }
  const lookHowWide = async (view: string): Promise<void> => {
    if (await page.evaluate(() => document.documentElement.scrollWidth > innerWidth)) found.push(`${view} is wider than a phone`)
  }
  const lookOnPhone = async (view: string): Promise<void> => {
    await lookHowWide(view)
    const said = JARGON.exec(await page.locator('body').innerText())
    if (said !== null) found.push(`${view} says “${said[0]}”`)
  }
  for (const [view, route] of VIEWS) {
    await page.setViewportSize(PHONE)
    await goTo(page, studio, route)
    await lookOnPhone(view)
    await page.setViewportSize(DESK)
    if (view === 'Short links') await fewShortLinks(page)
    await look(view)
  }
  await goTo(page, studio, '/short-links')
  await fewShortLinks(page)
  await page.getByLabel('Long address').fill('https://tides.example/tide-table?utm_source=x')
  await page.getByText('Free and easy to say').waitFor()
  await look('a short link being made')
  await goTo(
    page,
    studio,
    `/short-links/${(await (await page.request.get(`${studio.copy.url}/api/v1/short-links?slug=oilskin`)).json()).items[0].id}`,
  )
  await page.getByText('Shared out', { exact: true }).waitFor()
  await look('one short link')
  await page.getByRole('button', { name: 'Change Who goes where, and when' }).click()
  await page.getByRole('dialog').getByText('Share visitors out').waitFor()
  await look('who goes where from a short link')
  await page.setViewportSize(PHONE)
  await openPage(page, studio, '/islands/skarrow.html')
  await lookHowWide('editor')
  await page.setViewportSize(DESK)
  await look('editor')
  await selectWords(page, 'nobody on it')
  await toLinkField(page)
  await page.keyboard.insertText('tide')
  await look('editor with words chosen')
  await goTo(page, studio, '/nowhere')
  await look('nothing there')
  await goTo(page, studio, '/sign-in')
  assert.deepEqual(found, [])
  assert.deepEqual(
    errors.filter((words) => !words.includes('404')),
    [],
  )
})

/** A hundred rows of one kind take axe seconds, and tell no more than the first ones. */
async function fewShortLinks(page: Page): Promise<void> {
  await page.getByLabel('Find a short link').fill('quiet-')
  await page.getByText(/^\d short links?$/).waitFor()
}

test('on a phone the band tells where one is, and leads to every other area', async () => {
  const { page } = await studio.enter('tobin', { viewport: PHONE })
  await goTo(page, studio, '/redirects')
  const band = page.getByRole('navigation', { name: 'Areas' })
  const stop = band.locator('summary')
  assert.equal(await stop.innerText(), 'Redirects')
  await stop.click()
  assert.equal(await band.getByRole('link').count(), 8)
  await page.keyboard.press('Escape')
  assert.equal(await band.getByRole('link').count(), 0)
  await stop.click()
  await band.getByRole('link', { name: 'Partners' }).click()
  await page.waitForURL('**/partners')
})

test('words can be linked with the keyboard alone', async () => {
  const { page } = await studio.enter('tobin')
  await openPage(page, studio, '/islands/hollin.html')
  const field = page.getByLabel('Words of the page to link')
  await field.focus()
  await page.keyboard.type('under water')
  await page.getByText('1 place').waitFor()
  await page.keyboard.press('Enter')
  await page.getByRole('heading', { name: 'Link “under water”' }).waitFor()
  await toLinkField(page)
  await page.keyboard.type('/timetables.html')
  await page.keyboard.press('Enter')
  await page.locator('[data-saving=saved]').waitFor()
  assert.equal(await page.frameLocator('iframe').getByRole('link', { name: 'under water' }).getAttribute('href'), '/timetables.html')
})

test('a contributor writes, and is shown nothing that is not theirs to do', async () => {
  const { page } = await studio.enter('deckhand')
  await goTo(page, studio, '/')
  assert.equal(await page.getByRole('button', { name: 'Publish' }).count(), 0)
  await goTo(page, studio, '/rules')
  await page.getByText('Outside links open a new tab').waitFor()
  assert.equal(await page.getByRole('button', { name: 'New rule' }).count(), 0)
  await goTo(page, studio, '/short-links')
  assert.equal(await page.getByLabel('Long address').count(), 0)
  await goTo(page, studio, '/pages')
  assert.equal(await page.getByRole('button', { name: 'Bring in a site' }).count(), 0)
})

test('what the shown page brings along cannot act: no scripts, no way out, no session', async () => {
  const { page } = await studio.enter('mara')
  await openPage(page, studio, '/islands/skarrow.html')
  const frame = page.frames().find((each) => each.url().includes('/pages/frame'))
  assert.ok(frame)
  assert.equal(await frame.evaluate(() => origin), 'null')
  assert.equal(
    await frame.evaluate(() => {
      try {
        return document.cookie
      } catch {
        return 'refused'
      }
    }),
    'refused',
  )
  await frame.evaluate(() => {
    const script = document.createElement('script')
    script.textContent = 'document.documentElement.dataset.ran = "yes"'
    document.head.append(script)
    document.body.insertAdjacentHTML('beforeend', '<img src="x" onerror="document.documentElement.dataset.ran = 1">')
  })
  await page.waitForTimeout(300)
  assert.equal(await frame.evaluate(() => document.documentElement.dataset.ran), undefined)
  await page.frameLocator('iframe').getByRole('link', { name: 'tide table' }).click()
  await page.getByRole('heading', { name: 'tide table', level: 2 }).waitFor()
  assert.ok(frame.url().endsWith('/pages/frame'))
})

test('a folder is brought in like a zip, without its own name in the addresses; a dry run alone leaves nothing', async () => {
  const { page } = await studio.enter('mara')
  const folder = path.join(studio.copy.folder, 'my-site')
  mkdirSync(path.join(folder, 'inner'), { recursive: true })
  writeFileSync(path.join(folder, 'front.html'), '<title>From a folder</title>')
  writeFileSync(path.join(folder, 'inner', 'second.html'), '<title>Deeper</title>')
  await goTo(page, studio, '/pages?bring-in')
  await page.getByLabel('Folder').setInputFiles(folder)
  await page.getByText('2 files would come in').waitFor()
  await page.getByRole('cell', { name: '/inner/second.html' }).waitFor()
  await page.getByRole('button', { name: 'Leave it' }).click()
  const found = (await (await page.request.get(`${studio.copy.url}/api/v1/pages?path=/front.html`)).json()) as { total: number }
  assert.equal(found.total, 0)
})

test('every view comes three times over, and no time is an error written to the console', async () => {
  const { page, errors } = await studio.enter('mara')
  for (const [view, route] of VIEWS)
    for (let time = 1; time <= 3; time++) {
      await goTo(page, studio, route)
      assert.deepEqual(errors, [], `${view}, time ${time}`)
    }
})
