import assert from 'node:assert/strict'
import { test } from 'node:test'
import type { Page } from 'playwright-core'
import { aStudio, axeFinds, goTo, ownPage, sourceOf, untilSaved } from './studio.ts'

const studio = aStudio()
const count = (page: Page): Promise<string | null> => page.getByTestId('count').textContent()
const untilRead = (page: Page) =>
  page
    .getByTestId('count')
    .getByText(/^\d+ on \d+ pages$/)
    .waitFor()

/** The words of the links in sight, from the top. */
async function wordsShown(page: Page): Promise<string[]> {
  const rows = await page.locator('[data-at]').evaluateAll((all) =>
    all
      .map((row) => [Number(row.getAttribute('data-at')), row.querySelector('b')?.textContent ?? ''] as const)
      .sort((a, b) => a[0] - b[0])
      .map(([, words]) => words),
  )
  return rows.slice(0, 10)
}

/** Makes a screen believe that there are too many links for a browser. */
async function believeLarge(page: Page): Promise<string[]> {
  const asked: string[] = []
  await page.route('**/api/v1/placements/all*', async (route) => {
    const [head = ''] = (await (await route.fetch()).text()).split('\n')
    await route.fulfill({ contentType: 'application/x-ndjson', body: `${JSON.stringify({ ...JSON.parse(head), isLarge: true })}\n` })
  })
  page.on('request', (request) => {
    if (request.url().includes('/placements/view')) asked.push(request.url())
  })
  return asked
}

test('a list that is too long for a browser is found, counted, sorted and explained by the server, as the browser would', async () => {
  const near = (await studio.enter('tobin')).page
  const many = Array.from({ length: 700 }, (_, i) => `<p><a href="https://tides.example/${i}">quay ${i}</a></p>`).join('')
  await ownPage(near, studio, '/lists/long.html', many)
  await goTo(near, studio, '/links')
  await untilRead(near)
  const { page, errors } = await studio.enter('mara')
  const asked = await believeLarge(page)
  await goTo(page, studio, '/links')
  await untilRead(page)
  assert.equal(await count(page), await count(near))
  assert.deepEqual(await wordsShown(page), await wordsShown(near))
  for (const each of [near, page]) await each.getByLabel('In the order of').selectOption('text')
  for (const each of [near, page]) await each.getByRole('button', { name: 'From the end' }).click()
  await page.waitForFunction(() => (document.querySelector('[data-at="0"] b')?.textContent ?? '').toLowerCase() > 'w')
  assert.deepEqual(await wordsShown(page), await wordsShown(near))
  assert.match(page.url(), /sort=-text/)
  // What is far down comes when it is looked at.
  assert.deepEqual([...new Set(asked.map((each) => new URL(each).searchParams.get('from')))], ['0'])
  const further = page.waitForRequest(/placements\/view\?.*from=[1-9]00/)
  await page.locator('[data-rows]').evaluate((rows) => {
    rows.scrollTop = rows.scrollHeight
  })
  await further
  await page.waitForFunction(() => document.querySelectorAll('[data-rows] li[aria-busy]').length === 0)
  const all = (await count(page)) ?? ''
  for (const each of [near, page]) {
    await each
      .getByLabel('Narrow the list')
      .getByRole('button', { name: /^Kelp Lane Books/ })
      .first()
      .click()
    await each
      .getByTestId('count')
      .filter({ hasNotText: all })
      .getByText(/^\d+ on \d+ pages$/)
      .waitFor()
  }
  assert.equal(await count(page), await count(near))
  await page.locator('[data-open]').first().click()
  await page
    .getByRole('dialog')
    .getByText(/rule \d: /)
    .first()
    .waitFor()
  assert.deepEqual(await axeFinds(page), [])
  await page.keyboard.press('Escape')
  await page.getByRole('button', { name: 'Destinations' }).click()
  await page.getByLabel('Destinations found').getByText('/books/reading-tides').first().waitFor()
  assert.deepEqual(errors, [])
  // The rules ask the server as well.
  const rules = (await studio.enter('mara')).page
  await believeLarge(rules)
  const impact = rules.waitForResponse(/\/rules\/impact$/)
  await goTo(rules, studio, '/rules')
  assert.equal((await impact).status(), 200)
  await rules.getByRole('button', { name: 'New rule' }).click()
  await rules.getByLabel('What is asked of the link').selectOption('lead to a partner')
  await rules.getByLabel('and search engines are told').selectOption('it is paid (sponsored nofollow)')
  await rules
    .getByTestId('impact')
    .getByText(/^(?:\d+ links? on \d+ pages?|Nothing: all \d+ links)/)
    .waitFor()
})

test('what somebody else changes comes into an open list, and nothing else is sent again', async () => {
  const { page } = await studio.enter('tobin')
  const id = await ownPage(page, studio, '/lists/open.html', '<p><a href="https://tides.example/">the first lamp</a></p>')
  const sent: number[] = []
  page.on('response', async (response) => {
    if (response.url().includes('/placements/all')) sent.push((await response.text().catch(() => '')).split('\n').length)
  })
  await goTo(page, studio, '/links?text=lamp')
  await page
    .getByTestId('count')
    .getByText(/^1 on 1 page$/)
    .waitFor()
  const other = (await studio.enter('mara')).page
  const headers = { Authorization: `Bearer ${studio.copy.token}` }
  const at = `${studio.copy.url}/api/v1/pages/${id}`
  const { version } = (await (await other.request.get(at, { headers })).json()) as { version: number }
  const source = await sourceOf(other, studio, id)
  const from = source.indexOf('</p>', source.indexOf('the first lamp'))
  await other.request.patch(at, {
    headers,
    data: { version, patchSets: [[{ from, to: from, insert: ' <a href="https://tides.example/two">the second lamp</a>' }]] },
  })
  await untilSaved(other, studio, id, 'second lamp')
  await page
    .getByTestId('count')
    .getByText(/^2 on 1 page$/)
    .waitFor()
  assert.deepEqual(
    sent.slice(1).filter((lines) => lines > 3),
    [],
    'the head and the page that changed, and no more',
  )
})

test('a long bulk change tells how far it is, and can be asked to stop', async () => {
  const { page } = await studio.enter('mara')
  const many = Array.from({ length: 2_500 }, (_, i) => `<p><a href="https://tides.example/${i}">stop ${i}</a></p>`).join('')
  const id = await ownPage(page, studio, '/lists/many.html', many)
  await goTo(page, studio, '/links?text=stop')
  await page
    .getByTestId('count')
    .getByText(/^25\d\d on \d+ pages?$/)
    .waitFor()
  await page.getByRole('checkbox', { name: /^Choose all/ }).check()
  // The server is slow to look at it: what is shown meanwhile.
  let held: (() => void) | null = null
  await page.route('**/api/v1/bulk-changes', async (route) => {
    await new Promise<void>((resolve) => {
      held = resolve
    })
    await route.continue()
  })
  await page.route('**/api/v1/jobs/*', (route) =>
    route.request().method() === 'GET'
      ? route.fulfill({ json: { id, kind: 'bulk-change', state: 'running', done: 1_200, total: 2_500, report: null, message: null } })
      : route.fulfill({ json: { id, kind: 'bulk-change', state: 'running', done: 1_200, total: 2_500, report: null, message: null } }),
  )
  await page.getByRole('button', { name: 'Open in…' }).click()
  await page.getByRole('button', { name: 'Show what would change' }).click()
  await page.getByText('1,200 of 2,500 links looked at').waitFor()
  assert.deepEqual(await axeFinds(page), [])
  await page.getByRole('button', { name: 'Stop' }).click()
  ;(held as (() => void) | null)?.()
  await page.getByText(/2,?5\d\d links on \d+ pages?/).waitFor()
})
