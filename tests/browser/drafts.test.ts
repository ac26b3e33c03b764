import assert from 'node:assert/strict'
import { test } from 'node:test'
import type { Page } from 'playwright-core'
import { aStudio, openPage, selectWords, sourceOf, toLinkField } from './studio.ts'

const studio = aStudio()

async function link(page: Page, words: string, address: string): Promise<void> {
  await selectWords(page, words)
  await toLinkField(page)
  await page.keyboard.insertText(address)
  await page.keyboard.press('Enter')
}

test('while the database is away the draft stays in the browser, through a reload, and is saved when it is back', async () => {
  const { page } = await studio.enter('tobin')
  const id = await openPage(page, studio, '/what-to-pack.html')
  const away = { fault: 'database-away', status: 503, title: 'The database does not answer.', type: 'urn:map-rope:database-away' }
  await page.route('**/api/v1/pages/*', (route) =>
    route.request().method() === 'PATCH'
      ? route.fulfill({ status: 503, contentType: 'application/problem+json', body: JSON.stringify(away) })
      : route.continue(),
  )
  await link(page, 'One bag', '/about.html')
  await page.locator('[data-saving="kept here"]').waitFor()
  assert.ok(!(await sourceOf(page, studio, id)).includes('>One bag</a>'))
  await page.reload()
  await page.getByText('What was not saved last time is here again').waitFor()
  await page.locator('[data-saving="kept here"]').waitFor()
  await page.unroute('**/api/v1/pages/*')
  await page.route('**/api/v1/pages/*', (route) => (route.request().method() === 'PATCH' ? route.abort() : route.continue()))
  await page.waitForTimeout(3_500) // and then the server altogether
  await page.locator('[data-saving="kept here"]').waitFor()
  await page.unroute('**/api/v1/pages/*')
  await page.locator('[data-saving=saved]').waitFor({ timeout: 10_000 })
  assert.ok((await sourceOf(page, studio, id)).includes('<a href="/about.html" data-by-hand="">One bag</a>'))
})

test('two editors in different places: both changes are in it; in the same place: both sides are shown, and a person chooses', async () => {
  const [mara, tobin] = await Promise.all([studio.enter('mara'), studio.enter('tobin')])
  const id = await openPage(mara.page, studio, '/walks/causeway.html')
  await openPage(tobin.page, studio, '/walks/causeway.html')
  await link(mara.page, 'Two hours over', '/islands/hollin.html')
  await mara.page.locator('[data-saving=saved]').waitFor()
  await link(tobin.page, 'last safe turn', '/islands/skarrow.html')
  await tobin.page.getByText('Mara Quill saved this page in the meantime').waitFor()
  await tobin.page.locator('[data-saving=saved]').waitFor()
  const both = await sourceOf(tobin.page, studio, id)
  assert.ok(both.includes('>Two hours over</a>') && both.includes('>last safe turn</a>'))
  // Mara's window still has her own version; she changes the very words that Tobin has linked.
  await link(mara.page, 'the last safe', '/about.html')
  await mara.page.getByText('changed the same place as you').waitFor()
  assert.deepEqual(await sourceOf(tobin.page, studio, id), both, 'nothing is overwritten unasked')
  await mara.page.getByRole('button', { name: 'Put mine on top' }).click()
  await mara.page.locator('[data-saving=saved]').waitFor()
  assert.ok((await sourceOf(mara.page, studio, id)).includes('<a href="/about.html" data-by-hand="">the last safe</a>'))
})

test('undo and redo go through every change, and the server ends with what is shown', async () => {
  const { page } = await studio.enter('mara')
  const id = await openPage(page, studio, '/islands/tern-holm.html')
  const original = await sourceOf(page, studio, id)
  await link(page, 'Nobody lives', '/about.html')
  await page.getByRole('button', { name: 'It is paid' }).click()
  await page.locator('[data-saving=saved]').waitFor()
  await page.getByRole('button', { name: 'Take the link off' }).click()
  await page.getByRole('button', { name: 'Undo' }).click()
  await page.getByRole('button', { name: 'Undo' }).click()
  await page.getByRole('button', { name: 'Undo' }).click()
  await page.locator('[data-saving=saved]').waitFor()
  await assert.doesNotReject(async () => {
    for (let i = 0; i < 40 && (await sourceOf(page, studio, id)) !== original; i++) await page.waitForTimeout(100)
  })
  assert.equal(await sourceOf(page, studio, id), original)
  await page.getByRole('button', { name: 'Redo' }).click()
  for (let i = 0; i < 40 && (await sourceOf(page, studio, id)) === original; i++) await page.waitForTimeout(100)
  assert.ok((await sourceOf(page, studio, id)).includes('<a href="/about.html" data-by-hand="">Nobody lives</a>'))
})

test('an address that is refused says why, and nothing can be made of it', async () => {
  const { page } = await studio.enter('tobin')
  await openPage(page, studio, '/rooms-by-the-quay.html')
  await selectWords(page, 'within sight')
  await toLinkField(page)
  await page.keyboard.insertText('javascript:alert(1)')
  await page.getByText('it runs or carries code instead of leading somewhere').waitFor()
  assert.equal(await page.getByRole('button', { name: 'Link the words' }).isDisabled(), true)
})
