import assert from 'node:assert/strict'
import { test } from 'node:test'
import { aStudio, axeFinds, goTo, ownPage, pageFrame } from './studio.ts'

const studio = aStudio()

test('a list is looked at, brought in, shown to its end, and seen by whoever else has the list open', async () => {
  const { page, errors } = await studio.enter('mara')
  const other = await studio.enter('tobin')
  await goTo(other.page, studio, '/short-links')
  await goTo(page, studio, '/short-links')
  const counted = page.getByText(/^\d+ short links$/)
  const all = `${Number.parseInt(await counted.innerText(), 10) + 250} short links`
  await page.getByRole('button', { name: 'Bring in a list' }).click()
  assert.deepEqual(await axeFinds(page), [])
  const rows = Array.from({ length: 250 }, (_, i) => `https://tides.example/list/${i},listed-${i},Row ${i}`)
  await page
    .getByLabel('Or paste the rows')
    .fill(['destination,slug,title', ...rows, 'javascript:alert(1),bad,', 'https://tides.example/smock,smock,'].join('\n'))
  await page.getByRole('button', { name: 'Look at it' }).click()
  await page.getByText('250 short links would be made, 1 led elsewhere. 1 row cannot be taken.').waitFor()
  await page.getByText('Refused.').waitFor()
  assert.deepEqual(await axeFinds(page), [])
  await page.getByRole('button', { name: 'Bring 251 rows in' }).click()
  await page.getByText('250 short links were made').waitFor()
  await page.getByRole('button', { name: 'Done' }).click()
  await page.getByText(all).waitFor()
  const listed = page.getByRole('link', { name: /listed-\d+$/ })
  const more = page.getByRole('button', { name: 'Show more' })
  for (let tries = 0; tries < 100 && (await listed.count()) < 250; tries++) {
    if (await more.isEnabled()) await more.click()
    await page.waitForTimeout(100)
  }
  await listed.nth(249).waitFor()
  assert.equal(await listed.count(), 250)
  assert.equal(new Set(await listed.allTextContents()).size, 250)
  await other.page.getByText(all).waitFor()
  assert.deepEqual(errors, [])
})

test('where a short link leads is asked for when a page names it, and its link is judged by that', async () => {
  const { page } = await studio.enter('mara')
  const asked: string[] = []
  page.on('request', (request) => {
    if (request.url().endsWith('/short-links/named')) asked.push(request.postData() ?? '')
  })
  await ownPage(page, studio, '/lists/plain.html', '<p>A warm coat for the crossing.</p>')
  await page.waitForTimeout(300)
  assert.deepEqual(asked, [], 'a page without short links asks for none')
  const coat = `http://sferry.localhost:${studio.copy.port}/go/cap`
  await ownPage(page, studio, '/lists/coat.html', `<p>A <a href="${coat}">warm coat</a> for the crossing.</p>`)
  await pageFrame(page).locator('[data-rope-strand="sponsored"]').waitFor()
  assert.equal(asked.length, 1)
  assert.match(asked[0] ?? '', /"slug":"cap"/)
})

test('an address inside one’s own network is allowed where it is asked for: what was typed stays, and Settings list it', async () => {
  const { page, errors } = await studio.enter('mara')
  await goTo(page, studio, '/settings')
  const site = page.getByRole('form', { name: 'The site' })
  const allowed = page.getByLabel('Addresses inside your own network')
  const all = await allowed.inputValue()
  const save = async (lines: string): Promise<void> => {
    await allowed.fill(lines)
    await site.getByRole('button', { name: 'Save' }).click()
    await page.getByText('Saved.').first().waitFor()
  }
  await save('127.0.0.0/8')
  const form = page.getByRole('form', { name: 'Stand in front of a site' })
  await form.getByLabel(/Where does it answer now/).fill('http://10.9.8.7')
  await form.getByLabel(/On which host do visitors ask/).fill('old.slow-ferry.example')
  await form.getByRole('button', { name: 'Stand there' }).click()
  await form.getByText('lies inside a private network').waitFor()
  assert.deepEqual(await axeFinds(page), [])
  await form.getByRole('button', { name: 'Allow 10.9.8.7' }).click()
  await form.getByText('10.9.8.7 may be asked from now on. Try again.').waitFor()
  assert.equal(await form.getByLabel(/Where does it answer now/).inputValue(), 'http://10.9.8.7')
  await form.getByRole('button', { name: 'Stand there' }).click()
  await page.getByRole('list', { name: 'Front doors' }).getByRole('link', { name: 'old.slow-ferry.example' }).waitFor()
  await page.reload()
  assert.equal(await allowed.inputValue(), '127.0.0.0/8\n10.9.8.7')
  await save(all)
  assert.deepEqual(
    errors.filter((error) => !error.includes('422')),
    [],
  )
})
