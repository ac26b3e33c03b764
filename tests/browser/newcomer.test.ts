import assert from 'node:assert/strict'
import { test } from 'node:test'
import type { Page } from 'playwright-core'
import {
  aStudio,
  caretBehind,
  goTo,
  openPage,
  ownPage,
  pageFrame,
  selectWords,
  sourceOf,
  toLinkField,
  untilSaved,
  untilWritingThere,
} from './studio.ts'

const studio = aStudio()
const MAIN = '<h1>Boats</h1>\n<p>The light on <a href="/about.html" data-by-hand="">Hollin</a> is old.</p>\n<p>Second words here.</p>'

const leadsTo = (page: Page) => page.getByLabel('Leads to')
/** Puts the caret into a link of the shown page, as a click does. */
async function intoLink(page: Page, words: string): Promise<void> {
  await caretBehind(page, words.slice(0, -1))
  await page.getByRole('heading', { name: words, exact: true }).waitFor()
}

test('Tab comes to the first words of the page; what stands around them is written on only once that is meant', async () => {
  const { page } = await studio.enter('mara')
  const id = await openPage(page, studio, '/about.html')
  const before = await sourceOf(page, studio, id)
  await page.getByRole('button', { name: 'Source', exact: true }).focus()
  for (let i = 0; i < 12 && !(await page.evaluate(() => document.activeElement?.tagName === 'IFRAME')); i++)
    await page.keyboard.press('Tab')
  await untilWritingThere(page)
  await pageFrame(page).waitForFunction(() => document.getSelection()?.anchorNode?.parentElement?.closest('main h1') != null)
  await page.keyboard.type('Q')
  const after = await untilSaved(page, studio, id, 'Q')
  assert.match(after, /<main[^>]*>\s*<h1[^>]*>Q/)
  await page.keyboard.press('Control+z')
  await untilSaved(page, studio, id, 'Q', false)
  // A press on the logo, and one letter: nothing is replaced, and the way is told.
  await pageFrame(page).locator('header img').first().click()
  await page.keyboard.type('Q')
  await page.getByText(/This is the header around the text/).waitFor()
  assert.equal(await sourceOf(page, studio, id), before)
})

test('a destination half changed counts when the field is left; the link stays chosen while words before it change; Escape empties the panel', async () => {
  const { page } = await studio.enter('tobin')
  const id = await ownPage(page, studio, '/newcomer/half.html', MAIN)
  await intoLink(page, 'Hollin')
  await leadsTo(page).fill('/timetables.html')
  await caretBehind(page, 'Second')
  await untilSaved(page, studio, id, 'href="/timetables.html"')
  await intoLink(page, 'Hollin')
  await leadsTo(page).focus()
  // Somebody else writes before it: the panel stays with the link, and so does the focus.
  await page.evaluate(() => undefined)
  await leadsTo(page).fill('/rooms-by-the-quay.html')
  await page.getByRole('button', { name: 'Change the destination' }).click()
  await untilSaved(page, studio, id, 'href="/rooms-by-the-quay.html"')
  await page.getByRole('heading', { name: 'Hollin', exact: true }).waitFor()
  await caretBehind(page, 'The light')
  await page.keyboard.type('house')
  await untilSaved(page, studio, id, 'The lighthouse on')
  await intoLink(page, 'Hollin')
  await leadsTo(page).focus()
  // The first one closes the list of what was found, where it has come already; the next one empties the panel.
  await page.keyboard.press('Escape')
  await page.waitForTimeout(100)
  await page.keyboard.press('Escape')
  await page.getByRole('heading', { name: 'Link some words' }).waitFor()
})

test('words and a destination that were not linked are told, and linking a paragraph says which links would go', async () => {
  const { page } = await studio.enter('tobin')
  const id = await ownPage(page, studio, '/newcomer/told.html', MAIN)
  await selectWords(page, 'Second words')
  await toLinkField(page)
  await page.keyboard.insertText('/about.html')
  await caretBehind(page, 'The light')
  await page.getByText('was not linked to /about.html').waitFor()
  await page.getByRole('button', { name: 'Link the words' }).click()
  await untilSaved(page, studio, id, '<a href="/about.html" data-by-hand="">Second words</a>')
  await pageFrame(page).evaluate(() => {
    const line = document.querySelector('main p')
    if (line !== null) document.getSelection()?.selectAllChildren(line)
  })
  await page.getByText('A link in these words would go:').waitFor()
})

test('the writing bar keeps its height in a table, and is one stop of the Tab key', async () => {
  const { page } = await studio.enter('tobin')
  await ownPage(page, studio, '/newcomer/table.html', `${MAIN}<table><tbody><tr><td>cell</td></tr></tbody></table>`)
  const bar = page.getByRole('toolbar', { name: 'Writing' })
  const height = async (): Promise<number> => (await bar.boundingBox())?.height ?? 0
  await caretBehind(page, 'Second')
  assert.equal(await bar.getByRole('button', { name: 'Add a row' }).isDisabled(), true)
  const before = await height()
  await caretBehind(page, 'cell')
  await bar.getByRole('button', { name: 'Add a row', disabled: false }).waitFor()
  assert.equal(await height(), before)
  assert.equal(await bar.locator('button[tabindex="0"], button:not([tabindex])').count(), 1)
})

test('what is pasted from a word processor has its links mended and told, and does not run into what follows', async () => {
  const { page } = await studio.enter('tobin')
  const id = await ownPage(page, studio, '/newcomer/paste.html', MAIN)
  await caretBehind(page, 'Second ')
  await pageFrame(page).evaluate(() => {
    const data = new DataTransfer()
    data.setData(
      'text/html',
      '<p class="MsoNormal">one <a href="http://https://tides.example/x">tides</a></p><p class="MsoNormal">&nbsp;<o:p></o:p></p><p class="MsoNormal">two</p>',
    )
    document.body.dispatchEvent(new ClipboardEvent('paste', { clipboardData: data, bubbles: true, cancelable: true }))
  })
  const source = await untilSaved(page, studio, id, 'https://tides.example/x')
  assert.match(source, /<p>Second one <a href="https:\/\/tides\.example\/x">tides<\/a><\/p>\s*<p>two<\/p>\s*<p>words here\.<\/p>/)
  await page.getByText(/Pasted\. https:\/\/tides\.example\/x: Left one/).waitFor()
})

test('a new button has its words chosen, and leads nowhere until told', async () => {
  const { page } = await studio.enter('tobin')
  const id = await ownPage(page, studio, '/newcomer/button.html', MAIN)
  await caretBehind(page, 'Second words here.')
  await page.getByRole('toolbar', { name: 'Writing' }).getByRole('button', { name: 'Button' }).click()
  const made = await untilSaved(page, studio, id, 'Words of the button')
  assert.match(made, /<a class="button" data-by-hand="">Words of the button<\/a>/)
  await page.getByRole('heading', { name: 'Link “Words of the button”' }).waitFor()
  await toLinkField(page)
  await page.keyboard.insertText('/about.html')
  await page.keyboard.press('Enter')
  await untilSaved(page, studio, id, '<a href="/about.html" class="button" data-by-hand="">Words of the button</a>')
})

test('undo answers its keys after its button was used, and survives publishing', async () => {
  const { page } = await studio.enter('tobin')
  const id = await ownPage(page, studio, '/newcomer/undo.html', MAIN)
  await caretBehind(page, 'Second')
  await page.keyboard.type(' one two')
  await untilSaved(page, studio, id, 'Second one two')
  await page.getByRole('button', { name: 'Undo (Ctrl+Z)' }).click()
  await untilSaved(page, studio, id, 'one two', false)
  await page.keyboard.press('Control+z')
  await untilSaved(page, studio, id, 'Second one', false)
  await page.keyboard.press('Control+y')
  await untilSaved(page, studio, id, 'Second one')
  await page.getByRole('button', { name: 'Publish this page' }).click()
  await page.getByText('Readers see it now.').waitFor()
  await page.getByRole('button', { name: 'Undo (Ctrl+Z)' }).click()
  await untilSaved(page, studio, id, 'Second one', false)
})

test('a page that leads to one nobody can read yet says so before it is published, and both go out', async () => {
  const { page } = await studio.enter('mara')
  await ownPage(page, studio, '/newcomer/target.html', '<p>Target.</p>')
  await ownPage(page, studio, '/newcomer/from.html', '<p><a href="/newcomer/target.html">target</a></p>')
  await page.getByRole('button', { name: 'Publish this page' }).click()
  await page.getByText('A page they lead to is not published').waitFor()
  await page.getByRole('button', { name: 'Publish both' }).click()
  await page.getByText('Readers see it now.').waitFor()
  const live = async (): Promise<number> => {
    const answer = await page.request.get(`http://127.0.0.1:${studio.copy.port}/newcomer/target.html`, {
      headers: { Host: `slow-ferry.localhost:${studio.copy.port}` },
    })
    return answer.status()
  }
  for (let tries = 0; tries < 40 && (await live()) !== 200; tries++) await page.waitForTimeout(100)
  assert.equal(await live(), 200)
})

test('a half-filled short link asks before it is left and comes back; a slug that is taken is told while it is typed', async () => {
  const { page } = await studio.enter('mara')
  await goTo(page, studio, '/short-links')
  await page.getByLabel('Long address').fill('https://tides.example/long')
  const asked = page.waitForEvent('dialog')
  const left = page.reload().catch(() => undefined)
  const dialog = await asked
  assert.equal(dialog.type(), 'beforeunload')
  await dialog.accept()
  await left
  await page.waitForFunction(() => [...document.querySelectorAll('input')].some(({ value }) => value === 'https://tides.example/long'))
  await page.getByLabel('Short link', { exact: true }).fill('cap')
  await page.getByText(/“cap” is taken: it leads to/).waitFor()
  assert.equal(await page.getByRole('button', { name: /^Make sferry/ }).isDisabled(), true)
  await page.getByLabel('Long address').fill('')
})

test('a window asks before what was filled in goes', async () => {
  const { page } = await studio.enter('mara')
  await goTo(page, studio, '/pages')
  await page.getByRole('button', { name: 'New page' }).click()
  await page.getByLabel('Title').fill('Half a page')
  await page.keyboard.press('Escape')
  await page.getByRole('button', { name: 'Go on' }).click()
  assert.equal(await page.getByLabel('Title').inputValue(), 'Half a page')
  await page.keyboard.press('Escape')
  await page.getByRole('button', { name: 'Close without saving' }).click()
  await page.getByLabel('Title').waitFor({ state: 'detached' })
})

test('a short link is taken away with what it breaks told first, and put back', async () => {
  const { page } = await studio.enter('mara')
  await goTo(page, studio, '/short-links')
  await page.getByLabel('Find a short link').fill('cap')
  await page.getByRole('link', { name: /go\/cap$/ }).click()
  await page.getByRole('button', { name: 'Change Where it leads' }).click()
  await page.getByRole('button', { name: 'Take it away' }).click()
  await page.getByText(/pages? leads? to it|No page of yours leads to it/).waitFor()
  await page.getByRole('button', { name: 'Yes, people who follow it find nothing' }).click()
  await page.getByText('cap is taken away.').waitFor()
  await page.getByRole('button', { name: 'Undo' }).click()
  await page.getByText('cap is back, with its clicks.').waitFor()
})
