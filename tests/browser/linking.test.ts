import assert from 'node:assert/strict'
import { test } from 'node:test'
import type { Page } from 'playwright-core'
import { aStudio, caretBehind, ownPage, pageFrame, selectWords, toLinkField, untilSaved } from './studio.ts'

const studio = aStudio()

const MAIN = `<h1>Ways to link</h1>
<p>Plain words and <em>slanted words</em> and <strong>heavy</strong> ones.</p>
<h2 id="low-water">Low water</h2>
<h2>High water</h2>
<p><a class="button" href="/timetables.html">Press here</a></p>
<ul>
  <li>first item</li>
  <li>second item</li>
</ul>
<table><tbody><tr><td>cell words</td><td>other cell</td></tr></tbody></table>
<p><a href="/files/boat.svg"><img src="/files/boat.svg" alt="A boat" width="40"></a> a picture that links to itself</p>`

/** Chooses words, types into the field what leads somewhere, and takes it. */
async function linkTo(page: Page, words: string, typed: string): Promise<void> {
  await selectWords(page, words)
  await toLinkField(page)
  await page.keyboard.insertText(typed)
  await page.keyboard.press('Enter')
}

test('words in a paragraph, a heading, a list, a table cell and across formatting are linked', async () => {
  const { page } = await studio.enter('tobin')
  const id = await ownPage(page, studio, '/ways/words.html', MAIN)
  const onto = async (words: string): Promise<void> => linkTo(page, words, 'https://tides.example/today')
  const link = (words: string): string => `<a href="https://tides.example/today" data-by-hand="">${words}</a>`
  await onto('Plain words')
  await untilSaved(page, studio, id, link('Plain words'))
  await onto('Low water')
  await untilSaved(page, studio, id, `<h2 id="low-water">${link('Low water')}</h2>`)
  await onto('second item')
  await untilSaved(page, studio, id, `<li>${link('second item')}</li>`)
  await onto('cell words')
  await untilSaved(page, studio, id, `<td>${link('cell words')}</td>`)
  await pageFrame(page).evaluate(() => {
    const [from, to] = [document.querySelector('em')?.firstChild, document.querySelector('strong')?.firstChild]
    if (from !== null && from !== undefined && to !== null && to !== undefined) document.getSelection()?.setBaseAndExtent(from, 8, to, 5)
  })
  await page.getByRole('heading', { name: 'Link “words and heavy”' }).waitFor()
  await toLinkField(page)
  await page.keyboard.insertText('/about.html')
  await page.keyboard.press('Enter')
  const source = await untilSaved(page, studio, id, 'href="/about.html"')
  assert.match(
    source,
    /<em>slanted <a href="\/about.html" data-by-hand="">words<\/a><\/em> <a href="\/about.html" data-by-hand="">and <strong>heavy<\/strong><\/a> ones/,
  )
})

test('by the selection’s own control, by pasting onto words, by dropping an address and by dropping a page of the list', async () => {
  const { page } = await studio.enter('tobin')
  const id = await ownPage(page, studio, '/ways/hands.html', '<p>by control, by paste, by drop, by page</p>')
  await selectWords(page, 'by control')
  await page.getByRole('button', { name: 'Link these' }).click()
  await page.keyboard.insertText('/about.html')
  await page.keyboard.press('Enter')
  await untilSaved(page, studio, id, '<a href="/about.html" data-by-hand="">by control</a>')

  await page.evaluate(() => navigator.clipboard.writeText('http://https://tides.example/low '))
  await selectWords(page, 'by paste')
  await pageFrame(page).locator('body').focus()
  await page.keyboard.press('Control+v')
  await page.getByText('Left one “http” of two').waitFor()
  await untilSaved(page, studio, id, '<a href="https://tides.example/low" data-by-hand="">by paste</a>')

  const drop = (words: string, address: string) =>
    pageFrame(page).evaluate(
      ([wanted = '', to = '']) => {
        const data = new DataTransfer()
        data.setData('text/uri-list', to)
        const range = document.createRange()
        const walker = document.createTreeWalker(document.body, NodeFilter.SHOW_TEXT)
        for (let node = walker.nextNode(); node !== null; node = walker.nextNode()) {
          const at = (node as Text).data.indexOf(wanted)
          if (at !== -1) {
            range.setStart(node, at + 1)
            range.setEnd(node, at + 2)
          }
        }
        const { left, top } = range.getBoundingClientRect()
        range.startContainer.parentElement?.dispatchEvent(
          new DragEvent('drop', { bubbles: true, cancelable: true, dataTransfer: data, clientX: left + 2, clientY: top + 5 }),
        )
      },
      [words, address],
    )
  await selectWords(page, 'by drop')
  await drop('by drop', 'https://tides.example/high')
  await untilSaved(page, studio, id, '<a href="https://tides.example/high" data-by-hand="">by drop</a>')

  // What the list hands over when a page is dragged out of it is the page that readers see.
  const handed = await page
    .getByLabel('Pages', { exact: true })
    .getByRole('link', { name: /Timetables/ })
    .evaluate((a) => {
      const data = new DataTransfer()
      a.dispatchEvent(new DragEvent('dragstart', { bubbles: true, dataTransfer: data }))
      return data.getData('text/uri-list')
    })
  assert.equal(handed, `http://slow-ferry.localhost:${studio.copy.port}/timetables.html`)
  await selectWords(page, 'by page')
  await drop('by page', handed)
  await untilSaved(page, studio, id, '<a href="/timetables.html" data-by-hand="">by page</a>')
})

test('one field finds pages, sections, files, short links and partners, and takes mail and phone', async () => {
  const { page } = await studio.enter('tobin')
  const id = await ownPage(page, studio, '/ways/kinds.html', MAIN)
  const take = async (words: string, typed: string, option: RegExp | null, expected: string): Promise<void> => {
    await selectWords(page, words)
    await toLinkField(page)
    await page.keyboard.insertText(typed)
    if (option !== null) {
      await page.getByRole('option', { name: option }).first().click()
      await page.waitForTimeout(150)
    }
    await page.getByRole('button', { name: 'Link the words' }).click()
    await untilSaved(page, studio, id, expected)
  }
  await take('Plain', 'great mew', /Great Mew on foot/, '<a href="/islands/great-mew.html" data-by-hand="">Plain</a>')
  await take('slanted', '#low', /Low water/, '<a href="#low-water" data-by-hand="">slanted</a>')
  // A heading without a name is given one, which is a change of its own.
  await take('heavy', '#high', /High water/, '<a href="#high-water" data-by-hand="">heavy</a>')
  await untilSaved(page, studio, id, '<h2 id="high-water">High water</h2>')
  await take('first item', 'packing-list', /packing-list\.txt/, '<a href="/files/packing-list.txt" data-by-hand="">first item</a>')
  await take(
    'second item',
    'bunks',
    /bunks/,
    `<a href="http://sferry.localhost:${studio.copy.port}/go/bunks" data-by-hand="">second item</a>`,
  )
  await take(
    'cell words',
    'deckhand@slow-ferry.example',
    null,
    '<a href="mailto:deckhand@slow-ferry.example" data-by-hand="">cell words</a>',
  )
  await take('other cell', '+44 1632 960123', null, '<a href="tel:+441632960123" data-by-hand="">other cell</a>')
  const shops = (await (await page.request.get(`${studio.copy.url}/api/v1/short-links?slug=cap`)).json()) as {
    items: { destination: string }[]
  }
  const { origin } = new URL(shops.items[0]?.destination ?? '')
  await selectWords(page, 'ones')
  await toLinkField(page)
  await page.keyboard.insertText(`${origin}/boots/deck`)
  await page.getByRole('button', { name: 'Make it our partner link (Gannet & Line)' }).click()
  await page.getByRole('button', { name: 'Link the words' }).click()
  await untilSaved(page, studio, id, `<a href="${origin}/boots/deck?p=4471" data-by-hand="">ones</a>`)
})

test('a repair of a pasted address is told, and one key takes it back', async () => {
  const { page } = await studio.enter('tobin')
  await ownPage(page, studio, '/ways/repair.html', '<p>one address</p>')
  await page.evaluate(() => navigator.clipboard.writeText('“https:/tides.example/today.”'))
  await selectWords(page, 'one address')
  await toLinkField(page)
  await page.keyboard.press('Control+v')
  const field = page.locator('[data-link-field]')
  await page.getByText('to have it as you pasted it').waitFor()
  assert.equal(await field.inputValue(), 'https://tides.example/today')
  await page.keyboard.press('Control+z')
  await page.getByText('As it was pasted.').waitFor()
  assert.equal(await field.inputValue(), '“https:/tides.example/today.”')
})

test('a picture’s link to its own large copy is replaced; alt text, place and size are set; a button is linked anew', async () => {
  const { page } = await studio.enter('tobin')
  const id = await ownPage(page, studio, '/ways/pictures.html', MAIN)
  await pageFrame(page).locator('img[alt="A boat"]').click()
  await page.getByText('It leads to its own large copy').waitFor()
  const panel = page.getByLabel('The chosen link')
  await panel.locator('[data-link-field]').fill('/islands/skarrow.html')
  await panel.getByRole('button', { name: 'Change the destination' }).click()
  await untilSaved(page, studio, id, '<a data-by-hand="" href="/islands/skarrow.html"><img')
  await panel.getByLabel('What it shows, in words').fill('The ten past seven')
  await panel.getByLabel('Width, pixels').fill('80')
  await panel.getByRole('button', { name: 'right' }).click()
  const source = await untilSaved(page, studio, id, 'float: right')
  const tag = /<img[^>]*boat[^>]*>(?=<\/a> a picture)/.exec(source)?.[0] ?? ''
  assert.match(tag, /alt="The ten past seven"/)
  assert.match(tag, /width="80"/)
  await panel.getByRole('button', { name: 'Take the link off' }).click()
  await untilSaved(page, studio, id, 'skarrow.html', false)

  await caretBehind(page, 'Press')
  await page.getByRole('heading', { name: 'Press here' }).waitFor()
  await panel.locator('[data-link-field]').fill('https://tides.example/press')
  await panel.getByRole('button', { name: 'Change the destination' }).click()
  await untilSaved(page, studio, id, 'href="https://tides.example/press">Press here</a>')
})

test('a bare address offers the destination’s title, and words that lead to two places are pointed out', async () => {
  const { page } = await studio.enter('tobin')
  const shops = (await (await page.request.get(`${studio.copy.url}/api/v1/short-links?slug=tides`)).json()) as {
    items: { destination: string }[]
  }
  const { origin } = new URL(shops.items[0]?.destination ?? '')
  const address = `${origin}/books/reading-tides`
  const id = await ownPage(
    page,
    studio,
    '/ways/words-of-links.html',
    `<p>See <a href="${address}">${address}</a>, <a href="/about.html">here</a> and <a href="/timetables.html">here</a>.</p>`,
  )
  await page.getByRole('heading', { name: 'Worth a second look' }).waitFor()
  assert.equal(await page.getByText('says little').count(), 2)
  await caretBehind(page, origin)
  await page.getByRole('button', { name: 'Use its title: “Reading Tides · Kelp Lane Books”' }).click()
  await untilSaved(page, studio, id, `<a href="${address}">Reading Tides · Kelp Lane Books</a>`)
})

test('a page written for a partner marks links to that partner as paid, and the panel says so', async () => {
  const { page } = await studio.enter('tobin')
  const shops = (await (await page.request.get(`${studio.copy.url}/api/v1/short-links?slug=map`)).json()) as {
    items: { destination: string }[]
  }
  const address = shops.items[0]?.destination ?? ''
  await ownPage(page, studio, '/ways/sponsored.html', `<p>The <a href="${address}">sheet</a> we like.</p>`)
  await page.getByLabel('Written for a partner?').selectOption('Yes, for Contour Kiosk')
  await page.getByText('1 link to Contour Kiosk here: marked as paid').waitFor()
  await page.locator('[data-saving=saved]').waitFor()
  await caretBehind(page, 'shee')
  await page.getByText('Contour Kiosk').first().waitFor()
  await page.getByText('because this page is written for').waitFor()
  assert.match(await page.locator('code').last().innerText(), /rel="sponsored nofollow noopener"/)
})
