import assert from 'node:assert/strict'
import { writeFileSync } from 'node:fs'
import path from 'node:path'
import { test } from 'node:test'
import type { Page } from 'playwright-core'
import { aStudio, goTo, openPage, selectWords, toLinkField, untilSaved } from './studio.ts'

const studio = aStudio()

/** A page as a visitor's browser gets it; asked again until it holds `part` (or no longer does). */
async function live(page: Page, at: string, part: string, isThere = true): Promise<string> {
  let body = ''
  for (let tries = 0; tries < 60; tries++) {
    body = await (await page.request.get(`http://127.0.0.1:${studio.copy.port}${at}`, { headers: { Host: 'slow-ferry.localhost' } })).text()
    if (body.includes(part) === isThere) return body
    await page.waitForTimeout(100)
  }
  throw new Error(`${at} ${isThere ? 'never came to hold' : 'still holds'} ${part}:\n${body}`)
}

/** Other people's work, and what would break, is asked about before it goes out. */
async function answerIfAsked(page: Page): Promise<void> {
  const done = page.locator('[data-title]', { hasText: 'Published as number' })
  const question = page.getByRole('dialog').getByRole('button', { name: /^Publish (?:\d+ pages?|without them)$/ })
  await question.or(done).first().waitFor()
  if (await question.isVisible()) await question.click()
  await done.waitFor()
}

async function publishAll(page: Page): Promise<void> {
  await goTo(page, studio, '/publications')
  await page.getByRole('button', { name: 'Publish everything' }).click()
  await answerIfAsked(page)
}

test('a menu: a title gets a landing, several in one go; entries move by keys; a page is left out; it is live at once after publishing', async () => {
  const { page } = await studio.enter('mara')
  await goTo(page, studio, '/menus')
  await page.getByRole('link', { name: /Main menu/ }).click()
  await page.getByRole('button', { name: /^Islands/ }).waitFor()
  await page.getByRole('button', { name: 'Title', exact: true }).click()
  await page.getByLabel('Label').fill('Notes')
  await page.getByLabel('Choose the title Islands').check()
  await page.getByLabel('Choose the title Notes').check()
  const landings = page.locator('form', { hasText: '2 titles: where do they lead?' })
  await landings.getByLabel('Islands').fill('/islands/skarrow.html')
  await landings.getByLabel('Notes').fill('/harbour-notes/spring.html')
  await landings.getByRole('button', { name: 'Set them all' }).click()
  // By keys: the new title goes up one place, and below the entry above it.
  const entry = page.locator('[data-entry]', { hasText: 'Notes' })
  await entry.focus()
  await page.keyboard.press('Alt+ArrowUp')
  await page.keyboard.press('Alt+ArrowRight')
  await page.locator('[data-saving=saved]').waitFor()
  await page.getByRole('button', { name: 'Leave out The causeway on foot' }).click()
  await page.getByText('left out on purpose').first().waitFor()
  await page.locator('[data-saving=saved]').waitFor()
  await page.waitForTimeout(700)
  await publishAll(page)
  const html = await live(page, '/about.html', 'href="/harbour-notes/spring.html"')
  assert.match(html, /<a href="\/islands\/skarrow.html">Islands<\/a><ul>/)
  assert.match(html, /<li><a href="[^"]*">[^<]+<\/a><ul><li><a href="\/harbour-notes\/spring.html">Notes<\/a>/)
  // And what was published is asked for on the live site.
  await page
    .getByText(/changed links? found live/)
    .first()
    .waitFor({ timeout: 20_000 })
})

test('a shared block’s fields are filled by a form; a missing or unsafe one is told and delivered empty', async () => {
  const { page } = await studio.enter('mara')
  await goTo(page, studio, '/blocks')
  await page.getByRole('link', { name: /Footer/ }).click()
  await page.waitForSelector('iframe[data-shown=true]')
  const id = new URL(page.url()).pathname.split('/').pop() ?? ''
  await page.getByLabel('motto').fill('Soup & rope <slowly>')
  await page.getByLabel('post').fill('a b')
  await page.getByLabel('post').blur()
  await untilSaved(page, studio, id, 'Soup')
  await page
    .getByText(/address/i)
    .first()
    .waitFor()
  await publishAll(page)
  const html = await live(page, '/about.html', 'Soup')
  assert.ok(html.includes('<p>Soup &amp; rope &lt;slowly></p>'))
  assert.ok(!html.includes('{{'))
  assert.ok(html.includes('href="mailto:"'))
})

test('files: uploaded, refused when they are something else, replaced behind their address, and not gone unnoticed', async () => {
  const { page } = await studio.enter('mara')
  const picture = path.join(studio.copy.folder, 'slip.png')
  writeFileSync(
    picture,
    Buffer.from('iVBORw0KGgoAAAANSUhEUgAAAAEAAAABCAYAAAAfFcSJAAAADUlEQVR42mNk+M9QDwADhgGAWjR9awAAAABJRU5ErkJggg==', 'base64'),
  )
  const lie = path.join(studio.copy.folder, 'lie.png')
  writeFileSync(lie, '<script>alert(1)</script>')
  await goTo(page, studio, '/files')
  await page.getByLabel('Files to upload').setInputFiles([picture, lie])
  await page.getByText('1 file is here now').waitFor()
  await page.getByText(/lie\.png: /).waitFor()
  await page.getByRole('button', { name: /slip\.png/ }).waitFor()
  // A file that pages name says where, and goes only when a person insists.
  await page.getByRole('button', { name: /packing-list\.txt/ }).click()
  await page.getByRole('link', { name: 'What to pack' }).waitFor()
  await page.getByRole('button', { name: 'Take it away' }).click()
  await page.getByText('The pages above name this file').waitFor()
  await page.getByRole('button', { name: 'Keep it', exact: true }).click()
  const other = path.join(studio.copy.folder, 'other.txt')
  writeFileSync(other, 'Two bags after all.\n')
  await page.getByLabel('Another file for this address').setInputFiles(other)
  await page.getByText('Replaced. The address is the same').waitFor()
  await live(page, '/files/packing-list.txt', 'One bag.')
  await publishAll(page)
  await live(page, '/files/packing-list.txt', 'Two bags after all.')
})

test('a contributor’s outside link waits with its sentence, is delivered as a visitor’s, and an editor accepts it', async () => {
  const [deckhand, mara] = await Promise.all([studio.enter('deckhand'), studio.enter('mara')])
  const id = await openPage(deckhand.page, studio, '/islands/hollin.html')
  await selectWords(deckhand.page, 'behind the chapel')
  await toLinkField(deckhand.page)
  await deckhand.page.keyboard.insertText('https://chapel.example/hours')
  await deckhand.page.keyboard.press('Enter')
  await untilSaved(deckhand.page, studio, id, 'chapel.example')
  await deckhand.page.getByText('An editor looks at this link first.').waitFor()
  const marks = 'rel="nofollow ugc noopener" target="_blank" href="https://chapel.example/hours"'
  await publishAll(mara.page)
  await live(mara.page, '/islands/hollin.html', marks)
  await goTo(mara.page, studio, '/waiting')
  const card = mara.page.locator('li', { hasText: 'chapel.example' })
  await card.getByText('Park behind the chapel').waitFor()
  await card.getByText(/nobody has linked|new site/i).waitFor()
  await card.getByRole('button', { name: /Accept/ }).click()
  await live(mara.page, '/islands/hollin.html', marks, false)
  await live(mara.page, '/islands/hollin.html', 'chapel.example')
})

test('some of the pages are published, the others wait; a publication is viewed and the live site brought back', async () => {
  const { page } = await studio.enter('mara')
  for (const [at, words] of [
    ['/timetables.html', 'Summer'],
    ['/walks/causeway.html', 'dry stones'],
  ] as const) {
    const id = await openPage(page, studio, at)
    await selectWords(page, words)
    await toLinkField(page)
    await page.keyboard.insertText('/about.html')
    await page.keyboard.press('Enter')
    await untilSaved(page, studio, id, `<a href="/about.html" data-by-hand="">${words}</a>`)
  }
  await goTo(page, studio, '/publications')
  await page.getByLabel('Publish The causeway on foot').uncheck()
  await page.getByRole('button', { name: /^Publish \d+ of \d+/ }).click()
  await answerIfAsked(page)
  await live(page, '/timetables.html', '>Summer</a>')
  await live(page, '/walks/causeway.html', '>dry stones</a>', false)
  await page
    .getByText(/of \d+ changed links? found live/)
    .first()
    .waitFor({ timeout: 20_000 })
  // Back to what was live before, as a publication of its own.
  const rows = page.getByRole('button', { name: /pages?/ }).filter({ has: page.locator('b') })
  await rows.nth(1).click()
  await page.getByRole('button', { name: 'Bring the live site back to this' }).click()
  await page.getByRole('button', { name: /^Yes, bring it back to number/ }).click()
  await live(page, '/timetables.html', '>Summer</a>', false)
})

test('what is planned publishes by itself', async () => {
  const { page } = await studio.enter('mara')
  const id = await openPage(page, studio, '/islands/great-mew.html')
  await selectWords(page, 'There is a bench')
  await toLinkField(page)
  await page.keyboard.insertText('/about.html')
  await page.keyboard.press('Enter')
  await untilSaved(page, studio, id, '>There is a bench</a>')
  await goTo(page, studio, '/publications')
  await page.getByRole('button', { name: 'Publish later' }).click()
  const soon = await page.evaluate(() => {
    const at = new Date(Date.now() + 2_000)
    return new Date(at.getTime() - at.getTimezoneOffset() * 60_000).toISOString().slice(0, 19)
  })
  await page.getByLabel('When? (your clock)').fill(soon)
  await page.getByRole('button', { name: 'Plan it' }).click()
  await page.getByText('Planned. It publishes by itself.').waitFor()
  await live(page, '/islands/great-mew.html', '>There is a bench</a>')
})
