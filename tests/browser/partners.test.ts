import assert from 'node:assert/strict'
import { test } from 'node:test'
import { aStudio, axeFinds, goTo, openPage, sourceOf, untilSaved } from './studio.ts'

const studio = aStudio()
const shop = (name: string, path: string): string => `http://${name}.localhost:${studio.copy.port + 1}${path}`

test('a partner is added, its template is checked while it is written, and its links are built on its card', async () => {
  const { page, errors } = await studio.enter('mara')
  await goTo(page, studio, '/partners')
  await page.getByRole('button', { name: 'Add a partner' }).click()
  await page.getByLabel('Name', { exact: true }).fill('Oakum Paints')
  await page.getByLabel('What they offer').fill('paint')
  await page.getByLabel('Sites, one a line').fill('https://oakum-paints.localhost/tins')
  await page.getByLabel('Your number with them').fill('77')
  await page.getByLabel('Link template').fill('{url}?from={number}')
  await page.getByText('A link template knows {account}').waitFor()
  await page.getByLabel('Link template').fill('{url}?from={account}')
  await page.getByText('https://oakum-paints.localhost/a/page?colour=tar&from=77').waitFor()
  await page.getByLabel('Commission').selectOption('a share of each sale')
  await page.getByLabel('Percent').fill('7.5')
  assert.deepEqual(await axeFinds(page), [])
  await page.getByRole('button', { name: 'Save' }).click()
  await page.getByText('Oakum Paints is saved.').waitFor()
  await page.getByRole('heading', { name: 'Oakum Paints' }).waitFor()
  await page.getByText('7.5 % of each sale').first().waitFor()
  await page.getByLabel('Page of theirs').fill('https://oakum-paints.localhost/tins/red?size=2')
  await page.getByText('https://oakum-paints.localhost/tins/red?size=2&from=77').waitFor()
  await page.getByLabel('Page of theirs').fill('https://nobody.example/')
  await page.getByText('This is no page of any of your partners.').waitFor()
  assert.deepEqual(
    // What is refused while it is typed; and how far the phrases are is asked for before a busy machine has begun to look.
    errors.filter((words) => !/422|404.*\/api\/v1\/jobs\//.test(words)),
    [],
  )
})

test('a log-in goes to the clipboard, and stands nowhere on the screen', async () => {
  const { page } = await studio.enter('mara')
  await goTo(page, studio, '/partners')
  await page.getByRole('button', { name: /^Bothy Beds/ }).click()
  await page.getByRole('button', { name: 'copy password' }).click()
  await page.getByText('The password is copied').waitFor()
  assert.equal(await page.evaluate(() => navigator.clipboard.readText()), 'low-water-at-noon')
  assert.doesNotMatch(await page.content(), /low-water/)
})

test('pasted banner code is cleaned, with what is left out told; all script is refused', async () => {
  const { page } = await studio.enter('mara')
  await goTo(page, studio, '/partners')
  await page.getByRole('button', { name: /^Bothy Beds/ }).click()
  await page.getByRole('button', { name: 'Paste a banner’s code' }).click()
  const code = page.getByLabel('The code they gave you')
  await code.fill('<script src="https://count.example/x.js"></script>')
  await page.getByText('Nothing in this code could be linked').waitFor()
  await code.fill(
    `<a href="${shop('bothy-beds', '/rooms/net-loft')}" onclick="x()"><img src="${shop('bothy-beds', '/b.png')}" width="468" height="60" alt="The loft"></a><script>x</script>`,
  )
  await page.getByText('it would run a script').waitFor()
  await page.getByRole('button', { name: 'Keep the banner' }).click()
  await page.getByText('468 × 60').waitFor()
  assert.deepEqual(await axeFinds(page), [])
})

test('phrases are gone through by keys: linked as a draft, refused here, refused everywhere, and taken back', async () => {
  const { page } = await studio.enter('mara')
  await goTo(page, studio, '/partners')
  const review = page.getByLabel('Phrases worth linking')
  await review.getByRole('button', { name: /^Link it/ }).waitFor()
  const first = review.getByLabel('The next suggestion')
  const [path = ''] = (await first.locator('.address').first().innerText()).split('\n')
  const words = await first.locator('mark').innerText()
  await review.getByRole('button', { name: /^Link it/ }).focus()
  await page.keyboard.press('l')
  await page.getByText(`“${words}” is linked, as a draft.`).waitFor()
  const { items } = (await (await page.request.get(`${studio.copy.url}/api/v1/pages?path=${path.trim()}`)).json()) as {
    items: { id: string }[]
  }
  assert.match(await sourceOf(page, studio, items[0]?.id ?? ''), new RegExp(`<a href="http[^"]+" data-by-hand="">${words}</a>`))
  const second = await first.locator('mark').innerText()
  await page.keyboard.press('n')
  await page.getByText(/^Not on “/).waitFor()
  await page.keyboard.press('v')
  await page.getByText(/is suggested nowhere any more/).waitFor()
  assert.notEqual(second, '')
  // Other words of the same sentence: those that stand there, and no others.
  await page.keyboard.press('o')
  const field = review.getByLabel('Words of this sentence to link')
  const [other = ''] = (await field.inputValue()).split(' ')
  await field.fill('words that nobody wrote')
  await review.getByText('These words do not stand in the sentence').waitFor()
  assert.deepEqual(await axeFinds(page), [])
  await field.fill(other)
  await page.keyboard.press('Enter')
  await page.getByText(`“${other}” is linked, as a draft.`).waitFor()
})

test('the editor shows how many paid links a page bears, and links a phrase with one press, or the one at the caret with one key', async () => {
  const { page } = await studio.enter('tobin')
  const { pages } = (await (await page.request.get(`${studio.copy.url}/api/v1/phrases/review`)).json()) as {
    pages: { path: string; room: { used: number }; chosen: { phrase: string; isPaid: boolean }[] }[]
  }
  const found = pages.findLast(({ room, chosen }) => room.used === 0 && chosen.filter(({ isPaid }) => isPaid).length > 1)
  const id = await openPage(page, studio, found?.path ?? '')
  const room = page.getByRole('region', { name: 'Paid links' })
  await room.getByText(/^0 of \d that this page bears/).waitFor()
  await room.getByRole('button', { name: /^Link/ }).first().click()
  await untilSaved(page, studio, id, 'data-by-hand')
  await room.getByText(/^1 of \d/).waitFor()
  // The first of those that are left, chosen in the page.
  await room.getByRole('list').getByRole('button').first().click()
  await page.getByText('is worth a link to').waitFor()
  assert.deepEqual(await axeFinds(page), [])
  const linked = async (): Promise<number> => (await sourceOf(page, studio, id)).split('data-by-hand').length
  const before = await linked()
  await page.frameLocator('iframe').locator('body').press('Control+Enter')
  await page.getByText('is worth a link to').waitFor({ state: 'detached' })
  for (let tries = 0; tries < 50 && (await linked()) === before; tries++) await page.waitForTimeout(100)
  assert.equal(await linked(), before + 1)
})

test('a partner’s banner is put in where the caret stands, with a link of its own, and its picture can be kept here', async () => {
  const { page } = await studio.enter('mara')
  await goTo(page, studio, '/partners')
  await page.getByRole('button', { name: /^Bothy Beds/ }).click()
  await page.getByRole('button', { name: /^Keep the picture here.*Six bunks/ }).click()
  await page.getByText('The picture is among your files now').waitFor()
  const id = await openPage(page, studio, '/about.html')
  await page.frameLocator('iframe').getByText('We began as a notice').click()
  await page.getByRole('button', { name: 'A partner’s banner' }).click()
  const dialog = page.getByRole('dialog', { name: 'Put a banner in' })
  await dialog.getByRole('button', { name: /^Put it in.*Six bunks/ }).waitFor()
  assert.deepEqual(await axeFinds(page), [])
  await dialog.getByRole('button', { name: /^Put it in.*Six bunks/ }).click()
  await untilSaved(page, studio, id, 'alt="Six bunks and a stove"')
  const source = await sourceOf(page, studio, id)
  assert.match(
    source,
    /<a href="http:\/\/bothy-beds[^"]+ref=slowferry&amp;s=[^"]+"[^>]*><img[^>]*src="\/files\/[^"]+\.(?:png|svg|gif|jpg|webp)"/,
  )
})

test('what leads to a partner is pointed elsewhere in one step, and back by one click', async () => {
  const { page } = await studio.enter('mara')
  await goTo(page, studio, '/partners')
  await page.getByRole('button', { name: /^Kelp Lane Books/ }).click()
  await page.getByRole('button', { name: 'point them elsewhere' }).click()
  await page.getByLabel('Address', { exact: true }).fill('/about.html')
  await page.getByRole('button', { name: 'Show what would change' }).click()
  await page.getByText(/would change\.$/).waitFor()
  assert.deepEqual(await axeFinds(page), [])
  await page.getByRole('button', { name: /^Change all/ }).click()
  await page.getByText(/lead elsewhere now/).waitFor()
  await page.getByRole('button', { name: 'Undo' }).click()
  await page.getByText(/^Taken back: \d/).waitFor()
})

test('pages that lack the disclosure get it at once, and lose it by one click', async () => {
  const { page } = await studio.enter('mara')
  await goTo(page, studio, '/partners?view=disclosure')
  await page.getByRole('button', { name: /^Put all \d+ right/ }).click()
  await page
    .getByText(/tell its readers|tells its readers|pages tell/)
    .first()
    .waitFor()
  await page.getByText('Every page with paid links tells its readers').waitFor()
  assert.deepEqual(await axeFinds(page), [])
  await page.getByRole('button', { name: 'Undo' }).click()
  await page.getByText(/^Taken back: \d+ pages? as before/).waitFor()
})

test('a report is refused where it is none, confirmed where it does not decide, and taken back whole', async () => {
  const { page } = await studio.enter('mara')
  await goTo(page, studio, '/partners?view=earnings')
  const before = await page.getByRole('row', { name: /^Kelp Lane/ }).count()
  assert.equal(before, 0)
  await page.getByRole('button', { name: 'Bring a report in' }).click()
  await page.getByLabel('Partner', { exact: true }).selectOption('Kelp Lane Books')
  const file = page.getByLabel('Report, as CSV')
  await file.setInputFiles({ name: 'letter.txt', mimeType: 'text/plain', buffer: Buffer.from('Dear Mara,\nno report this month.') })
  await page.getByText('This is no table.').waitFor()
  await file.setInputFiles({
    name: 'kelp.csv',
    mimeType: 'text/csv',
    buffer: Buffer.from('Date,Commission,Order\n03/04/2026,"1,234",K1\n05/06/2026,"2,500",K2\nTotal,"3,734",\n'),
  })
  await page.getByText('Every day in it could be two.').waitFor()
  assert.equal(await page.getByRole('button', { name: 'Look at it' }).isDisabled(), true)
  await page.getByLabel('Days look like').selectOption('3.11.2026')
  await page.getByLabel('Numbers look like').selectOption('1,234.50')
  await page.getByRole('button', { name: 'Look at it' }).click()
  await page.getByText('2 new').waitFor()
  await page.getByText('€3,734.00').waitFor()
  await page.getByText('a total, no order').waitFor()
  assert.deepEqual(await axeFinds(page), [])
  await page.getByRole('button', { name: 'Take 2 lines in' }).click()
  await page.getByRole('row', { name: /^Kelp Lane Books/ }).waitFor()
  await page.getByRole('button', { name: /^take back.*kelp/ }).click()
  await page.getByText('The report is taken back').waitFor()
  await page.getByText('taken back', { exact: true }).waitFor()
})

test('wherever a partner’s page is pasted its partner link is offered: for a short link, and for a redirect', async () => {
  const { page } = await studio.enter('mara')
  const theirs = shop('gannet-line', '/boots/sea')
  await goTo(page, studio, '/short-links')
  await page.getByLabel('Long address').fill(theirs)
  await page.getByRole('button', { name: 'A page of Gannet & Line: lead there with your number' }).click()
  await page.waitForFunction(() =>
    [...document.querySelectorAll('input')].some(({ value }) => value.includes('4471') && value.includes('sea')),
  )
  await page.getByRole('button', { name: /A page of Gannet/ }).waitFor({ state: 'detached' })
  await page.getByLabel('Long address').fill('')
  await goTo(page, studio, '/redirects?from=/sea-boots')
  const dialog = page.getByRole('dialog')
  await dialog.getByLabel('Lands on').fill(theirs)
  await dialog.getByRole('button', { name: 'A page of Gannet & Line: lead there with your number' }).click()
  assert.match(await dialog.getByLabel('Lands on').inputValue(), /4471/)
})
