import assert from 'node:assert/strict'
import { test } from 'node:test'
import type { Page } from 'playwright-core'
import {
  aStudio,
  caretBehind,
  goTo,
  keepRules,
  openPage,
  ownPage,
  selectWords,
  sourceOf,
  toLinkField,
  untilAwake,
  untilSaved,
} from './studio.ts'

const studio = aStudio()

/** How the live site answers, and what it holds. */
async function live(page: Page, host: string, at: string): Promise<{ status: number; body: string }> {
  const answer = await page.request.get(`http://127.0.0.1:${studio.copy.port}${at}`, { headers: { Host: host }, maxRedirects: 0 })
  return { status: answer.status(), body: await answer.text() }
}
async function untilLive(page: Page, host: string, at: string, is: (answer: { status: number; body: string }) => boolean): Promise<void> {
  for (let tries = 0; tries < 80; tries++) {
    if (is(await live(page, host, at))) return
    await page.waitForTimeout(100)
  }
  assert.fail(`${host}${at} never came to be as meant`)
}
const SITE = 'slow-ferry.localhost'

test('what a person was asked about is sent once, however often the button is pressed', async () => {
  const { page } = await studio.enter('mara')
  await goTo(page, studio, '/short-links')
  const sent: string[] = []
  page.on('request', (request) => {
    if (request.method() === 'POST' && request.url().endsWith('/api/v1/short-links')) sent.push(request.url())
  })
  await page.route('**/api/v1/short-links', async (route) => {
    await new Promise((resolve) => setTimeout(resolve, 300))
    await route.continue()
  })
  await untilAwake(page)
  await page.getByLabel('Long address').fill('https://tides.example/twice')
  await page.getByLabel('Short link', { exact: true }).fill('twice-pressed')
  const make = page.getByRole('button', { name: /^Make sferry/ })
  await make.waitFor()
  await page.waitForFunction(() =>
    [...document.querySelectorAll('button')].some(({ textContent, disabled }) => /^Make sferry/.test(textContent ?? '') && !disabled),
  )
  await make.evaluate((button: HTMLButtonElement) => {
    button.click()
    button.click()
  })
  await page.getByText('twice-pressed').first().waitFor()
  assert.equal(sent.length, 1)
})

test('adding a partner says how many links are paid from then on without saying so, and leads there', async () => {
  const { page } = await studio.enter('mara')
  await ownPage(
    page,
    studio,
    '/asked/lanterns.html',
    '<p><a href="https://lanterns.example/a" rel="">one</a> <a href="https://lanterns.example/b">two</a></p>',
  )
  // The rules mark partners by themselves, save where a hand said otherwise.
  const id = await ownPage(
    page,
    studio,
    '/asked/hand.html',
    '<p>By hand <a href="https://lanterns.example/c" rel="" data-by-hand="hints">three</a>.</p>',
  )
  assert.match(await sourceOf(page, studio, id), /data-by-hand="hints"/)
  await goTo(page, studio, '/partners')
  await page.getByRole('button', { name: 'Add a partner' }).click()
  await page.getByLabel('Name', { exact: true }).fill('Lantern Yard')
  await page.getByLabel('Sites, one a line').fill('lanterns.example')
  await page.getByRole('dialog').getByRole('button', { name: 'Save' }).click()
  await page.getByText('Lantern Yard is saved.').waitFor()
  await goTo(page, studio, '/links?finding=unmarked')
  await page.getByRole('list', { name: 'Links found' }).getByText('three', { exact: true }).waitFor()
})

test('marking with a rule never adds a rule that is there; what a hand set is offered to be taken back', async (t) => {
  await keepRules(t, studio)
  const { page } = await studio.enter('mara')
  const paid = 'http://contour-kiosk.localhost:4399/maps/skarrow'
  await ownPage(page, studio, '/asked/said.html', `<p><a href="${paid}" rel="" data-by-hand="hints">a map</a></p>`)
  await goTo(page, studio, '/rules?mark-partners')
  await page.getByRole('list', { name: 'Rules in their order' }).waitFor()
  const count = (): Promise<number> => page.locator('[data-rule]').count()
  await page.getByRole('button', { name: 'Save rules' }).click()
  await page.getByText('Saved. Every page is delivered').waitFor()
  const before = await count()
  await goTo(page, studio, '/rules?mark-partners')
  await page.getByText('This rule is there already.').waitFor()
  assert.equal(await count(), before)
  assert.equal(await page.getByRole('button', { name: 'Save rules' }).isVisible(), false)
  await page.getByRole('button', { name: 'See those links' }).click()
  await page.waitForURL(/finding=unmarked/)
  await page.getByRole('button', { name: /^Take back what a hand set \(\d+\)$/ }).click()
  await page.getByRole('button', { name: 'Show what would change' }).click()
  await page.getByRole('button', { name: /^Change \d+ links?$/ }).click()
  await page.getByText(/links? changed on \d+ pages?\./).waitFor()
  await page.getByText('No link is like that.').waitFor()
})

test('counts agree: what the ledge says, what is published, and what the check found', async () => {
  const { page } = await studio.enter('mara')
  const id = await ownPage(page, studio, '/asked/counts.html', '<p>first words, second words</p>')
  await page.getByRole('button', { name: 'Publish this page' }).click()
  await page.getByText('Readers see it now.').waitFor()
  for (const [words, source] of [
    ['first words', '>first words</a>'],
    ['second words', '>second words</a>'],
  ] as const) {
    await selectWords(page, words)
    await toLinkField(page)
    await page.keyboard.insertText('/about.html')
    await page.keyboard.press('Enter')
    await untilSaved(page, studio, id, source)
  }
  await page.getByRole('button', { name: 'Publish this page' }).click()
  await page
    .getByText(/^Published: 1 page\. Readers see it now\.$/)
    .last()
    .waitFor()
  await page.getByText('The live site has it: 2 of 2 changed links found.').waitFor({ timeout: 20_000 })
  const desk = (await (await page.request.get(`${studio.copy.url}/api/v1/publications/unpublished`)).json()) as {
    pages: unknown[]
    morePages: number
  }
  await goTo(page, studio, '/publications')
  const listed = await page
    .getByRole('list', { name: 'What differs' })
    .getByRole('checkbox')
    .count()
    .catch(() => 0)
  assert.equal(listed, desk.pages.length)
})

test('a link to a file lets readers open it or download it, asked where it is made, and set as a habit', async () => {
  const { page } = await studio.enter('mara')
  const id = await ownPage(page, studio, '/asked/file.html', '<p>the packing list, and the list again</p>')
  await selectWords(page, 'the packing list')
  await toLinkField(page)
  await page.keyboard.insertText('/files/packing-list.txt')
  await page
    .getByRole('group', { name: 'What do readers do with the file?' })
    .getByRole('button', { name: /^Download it/ })
    .click()
  await page.getByRole('button', { name: 'Link the words' }).click()
  await untilSaved(page, studio, id, '<a href="/files/packing-list.txt" download="" data-by-hand="">the packing list</a>')
  await page.getByRole('button', { name: /^Open it/ }).click()
  await untilSaved(page, studio, id, 'download', false)
  await goTo(page, studio, '/files')
  await page.getByText('download files', { exact: true }).click()
  await page.getByText('New links to files let readers download them.').waitFor()
  await openPage(page, studio, '/asked/file.html')
  await selectWords(page, 'the list again')
  await toLinkField(page)
  await page.keyboard.insertText('/files/packing-list.txt')
  await page.keyboard.press('Enter')
  await untilSaved(page, studio, id, 'download="" data-by-hand="">the list again</a>')
  await goTo(page, studio, '/files')
  await page.getByText('open files', { exact: true }).click()
  await page.getByText('New links to files open them in the browser.').waitFor()
})

test('publishing later takes the pages that were chosen, and leaves the others', async () => {
  const { page } = await studio.enter('mara')
  await ownPage(page, studio, '/asked/later.html', '<p>Later.</p>')
  await ownPage(page, studio, '/asked/never.html', '<p>Never.</p>')
  await goTo(page, studio, '/publications')
  await page.getByRole('button', { name: 'Publish later' }).click()
  const dialog = page.getByRole('dialog')
  await dialog.getByLabel('These pages, as they are then').check()
  for (const box of await dialog.getByRole('checkbox').all()) await box.uncheck()
  assert.equal(await dialog.getByRole('button', { name: 'Plan it' }).isDisabled(), true)
  await dialog.getByRole('checkbox', { name: /asked later/ }).check()
  const soon = await page.evaluate(() => {
    const at = new Date(Date.now() + 2_000)
    return new Date(at.getTime() - at.getTimezoneOffset() * 60_000).toISOString().slice(0, 19)
  })
  await page.getByLabel('When? (your clock)').fill(soon)
  await page.getByRole('button', { name: 'Plan it' }).click()
  await page.getByText('Planned. It publishes by itself.').waitFor()
  await page.getByText('1 page', { exact: false }).first().waitFor()
  await untilLive(page, SITE, '/asked/later.html', ({ status }) => status === 200)
  assert.equal((await live(page, SITE, '/asked/never.html')).status, 404)
})

test('bringing an older publication back says what readers lose, and is undone in one step', async () => {
  const { page } = await studio.enter('mara')
  const id = await ownPage(page, studio, '/asked/back.html', '<p>As it was.</p>')
  await page.getByRole('button', { name: 'Publish this page' }).click()
  await page.getByText('Readers see it now.').waitFor()
  await untilLive(page, SITE, '/asked/back.html', ({ body }) => body.includes('As it was.'))
  await caretBehind(page, 'As it was')
  await page.keyboard.type(', and more')
  await untilSaved(page, studio, id, 'and more')
  await page.getByRole('button', { name: 'Publish this page' }).click()
  await untilLive(page, SITE, '/asked/back.html', ({ body }) => body.includes('and more'))
  await goTo(page, studio, '/publications')
  await page
    .getByRole('button', { name: /\d+ pages?/ })
    .filter({ has: page.locator('b') })
    .nth(1)
    .click()
  await page.getByRole('button', { name: 'Bring the live site back to this' }).click()
  await page.getByText('Readers lose what the publication since brought').waitFor()
  assert.match((await live(page, SITE, '/asked/back.html')).body, /and more/)
  await page.getByRole('button', { name: /^Yes, bring it back to number/ }).click()
  await untilLive(page, SITE, '/asked/back.html', ({ body }) => !body.includes('and more'))
  await page.getByRole('button', { name: 'Undo' }).click()
  await page.getByText('The live site is as it was before.').waitFor()
  await untilLive(page, SITE, '/asked/back.html', ({ body }) => body.includes('and more'))
})

test('a front door is taken away with what that breaks told first, and put back', async () => {
  const { page } = await studio.enter('mara')
  await goTo(page, studio, '/settings')
  await page.getByRole('button', { name: /^Take it away ?logbook/ }).click()
  await page.getByText(/^Whoever asks for logbook\.localhost.* finds nothing from then on/).waitFor()
  assert.equal((await live(page, 'logbook.localhost', '/')).status, 200)
  await page.getByRole('button', { name: /^Yes, take logbook/ }).click()
  await untilLive(page, 'logbook.localhost', '/', ({ status }) => status === 404 || status === 421)
  await page.getByRole('button', { name: 'Undo' }).click()
  await untilLive(page, 'logbook.localhost', '/', ({ status }) => status === 200)
})
