import assert from 'node:assert/strict'
import { test } from 'node:test'
import { aStudio, caretBehind, goTo, openPage, ownPage, pageFrame, selectWords, sourceOf, untilSaved, untilWritingThere } from './studio.ts'

const studio = aStudio()

const ODD = `<!-- keep   me -->
<p  class='a'   data-x=1>Write   here, <b>and</b> there.</p>
<form action=/post><input name=q></form>
<x-tide  level="3">custom</x-tide>
<svg width="20" height="20"><circle r="4" cx="5" cy="5"/></svg>
<ul><li>one</li><li>two</li></ul>`

test('only the block that is written on changes; what the visual mode does not understand keeps its bytes', async () => {
  const { page } = await studio.enter('tobin')
  const id = await ownPage(page, studio, '/writing/odd.html', ODD)
  const before = await sourceOf(page, studio, id)
  await caretBehind(page, 'there')
  await page.keyboard.type(' & everywhere')
  const after = await untilSaved(page, studio, id, 'there &amp; everywhere.')
  assert.equal(after, before.replace('there.', 'there &amp; everywhere.'))
  await page.keyboard.press('Control+z')
  await untilSaved(page, studio, id, 'there &amp; .')
  await page.keyboard.press('Control+z')
  await page.keyboard.press('Control+z')
  await untilSaved(page, studio, id, '&amp;', false)
  assert.equal(await sourceOf(page, studio, id), before)
})

test('Enter, headings, strong words, lists, quotes and tables are written as a person would write them', async () => {
  const { page } = await studio.enter('tobin')
  const id = await ownPage(page, studio, '/writing/plain.html', '    <p>First words</p>\n    <p>Second words</p>')
  await caretBehind(page, 'First words')
  await page.keyboard.press('Enter')
  await page.keyboard.type('A new line')
  await untilSaved(page, studio, id, '    <p>First words</p>\n    <p>A new line</p>\n    <p>Second words</p>')
  const bar = page.getByRole('toolbar', { name: 'Writing' })
  await bar.getByRole('button', { name: /^Heading/ }).click()
  await untilSaved(page, studio, id, '    <h2>A new line</h2>')
  await selectWords(page, 'Second')
  await page.keyboard.press('Control+b')
  await untilSaved(page, studio, id, '<p><strong>Second</strong> words</p>')
  await caretBehind(page, 'First')
  await bar.getByRole('button', { name: 'List', exact: true }).click()
  await untilSaved(page, studio, id, '<ul>\n      <li>First words</li>\n    </ul>')
  await caretBehind(page, 'A new line')
  await bar.getByRole('button', { name: 'Table' }).click()
  // The frame makes the table a moment after the click; a hand is not as quick as that.
  await pageFrame(page).waitForFunction(() => document.getSelection()?.anchorNode?.parentElement?.closest('table') !== null)
  await untilWritingThere(page)
  await page.keyboard.type('Boat')
  await page.keyboard.press('Tab')
  await page.keyboard.type('Leaves')
  await untilSaved(page, studio, id, '<tr><th>Boat</th><th>Leaves</th></tr>')
  await caretBehind(page, 'Second')
  await bar.getByRole('button', { name: 'Quote' }).click()
  await untilSaved(page, studio, id, '<blockquote>\n      <p><strong>Second</strong> words</p>\n    </blockquote>')
})

test('a thing that is kept can be moved and taken away as a whole', async () => {
  const { page } = await studio.enter('tobin')
  const id = await ownPage(page, studio, '/writing/things.html', '<p>Above</p>\n<form action="/post"><input name="q"></form>\n<p>Below</p>')
  await pageFrame(page).locator('[data-thing="form"]').click()
  await page.keyboard.press('Alt+ArrowDown')
  await untilSaved(page, studio, id, '<p>Below</p>\n<form action="/post"><input name="q"></form>')
  await page.keyboard.press('Delete')
  await untilSaved(page, studio, id, '<form', false)
})

test('the source and the page agree at every moment, and the caret goes along', async () => {
  const { page } = await studio.enter('tobin')
  const id = await ownPage(page, studio, '/writing/source.html', ODD)
  await selectWords(page, 'there')
  await page.getByText('Source', { exact: true }).click()
  const source = page.locator('[data-source] .cm-content')
  await source.waitFor()
  await page.keyboard.type('where')
  await untilSaved(page, studio, id, '<b>and</b> where.</p>')
  await page.keyboard.press('Control+f')
  await page.locator('.cm-search input').first().waitFor()
  await page.keyboard.press('Escape')
  await page.getByText('Page', { exact: true }).click()
  await page.waitForSelector('iframe[data-shown=true]')
  await page.waitForTimeout(300)
  await page.keyboard.type('!')
  await untilSaved(page, studio, id, '<b>and</b> where!.</p>')
  assert.equal(await pageFrame(page).locator('p.a').innerText(), 'Write here, and where!.')
  // Links are underlined in the source.
  await openPage(page, studio, '/timetables.html')
  await page.getByText('Source', { exact: true }).click()
  await page.locator('.cm-rope', { hasText: 'the quay office' }).first().waitFor()
})

test('a new page takes the look of the site, joins the menu, and an older version of a page is compared and brought back', async () => {
  const { page } = await studio.enter('tobin')
  await goTo(page, studio, '/pages')
  await page.getByRole('button', { name: 'New page' }).click()
  await page.getByLabel('Title').fill('Night boats')
  await page.getByRole('button', { name: 'Make the page' }).click()
  await page.waitForSelector('iframe[data-shown=true]')
  const id = new URL(page.url()).pathname.split('/').pop() ?? ''
  await caretBehind(page, 'Night boats')
  await page.keyboard.press('Enter')
  await page.keyboard.type('They leave at midnight.')
  const source = await untilSaved(page, studio, id, 'They leave at midnight.')
  assert.match(source, /<title>Night boats<\/title>[\s\S]*<nav><!-- menu: main --><\/nav>[\s\S]*<h1>Night boats<\/h1>/)
  const { items } = (await (await page.request.get(`${studio.copy.url}/api/v1/menus`)).json()) as { items: { id: string }[] }
  const menu = await (await page.request.get(`${studio.copy.url}/api/v1/menus/${items[0]?.id}`)).text()
  assert.match(menu, /"label":"Night boats"/)
  await page.reload()
  await page.waitForSelector('iframe[data-shown=true]')
  await page.getByRole('button', { name: 'History' }).click()
  const versions = page.getByLabel('Versions').getByRole('button')
  await versions.last().click()
  await page.getByText('They leave at midnight.').first().waitFor()
  await page.getByRole('button', { name: 'Go back to this version' }).click()
  await untilSaved(page, studio, id, 'They leave at midnight.', false)
})
