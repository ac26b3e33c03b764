import assert from 'node:assert/strict'
import { request as ask } from 'node:http'
import { test } from 'node:test'
import { setTimeout as wait } from 'node:timers/promises'
import { aStudio, askCopy, axeFinds, goTo, openPage } from './studio.ts'

const studio = aStudio()

/** What a public address answers, by the demo's own host. */
const answerOf = (path: string): Promise<string> =>
  new Promise((resolve, reject) => {
    const headers = { Host: `slow-ferry.localhost:${studio.copy.port}`, 'User-Agent': 'Mozilla/5.0 Firefox/140.0' }
    ask({ host: '127.0.0.1', port: studio.copy.port, path, headers, timeout: 10_000 }, (answer) => {
      answer.resume()
      resolve(`${answer.statusCode} ${(answer.headers.location ?? '').replace(/^http:\/\/[^/]+/, '')}`)
    })
      .on('timeout', () => reject(new Error(`nothing answers at ${path}`)))
      .on('error', reject)
      .end()
  })
/** A change is answered by all within two seconds. */
async function untilAnswered(path: string, wanted: string): Promise<void> {
  let seen = ''
  for (let tries = 0; tries < 40; tries++) {
    seen = await answerOf(path)
    if (seen === wanted) return
    await wait(100)
  }
  assert.equal(seen, wanted)
}

test('two pasted columns are looked at, taken in one step, answered, and taken back by one click', async () => {
  const { page, errors } = await studio.enter('tobin')
  await goTo(page, studio, '/redirects')
  const [before = ''] =
    /\d+ rows/.exec(
      await page
        .getByText(/\d+ rows/)
        .first()
        .innerText(),
    ) ?? []
  await page.getByRole('button', { name: 'Paste two columns' }).click()
  await page
    .getByLabel('Or pasted here')
    .fill('/old/pier.htm\t/islands/skarrow.html\n/round-1\t/round-2\n/round-2\t/round-1\n/timetables.html\t/about.html\n')
  await page.getByRole('button', { name: 'Look at it' }).click()
  await page.getByText('It goes /round-2 → /round-1 → /round-2').waitFor()
  await page.getByText('A page is published there, which answers first').waitFor()
  assert.deepEqual(await axeFinds(page), [])
  await page.getByRole('button', { name: 'Take 3 rows in' }).click()
  await page.getByText('3 new rows').waitFor()
  await page.getByRole('button', { name: 'Done' }).click()
  await page.getByText(`${Number.parseInt(before, 10) + 3} rows`).waitFor()
  await untilAnswered('/old/pier.htm', '301 /islands/skarrow.html')
  await page.getByRole('button', { name: 'Undo' }).click()
  await page.getByText('Taken back: 3 rows as before.').waitFor()
  await page.getByText(before).waitFor()
  await untilAnswered('/old/pier.htm', '404 ')
  assert.deepEqual(errors, [])
})

test('what a configuration depends on is asked for, and its lines are looked at again with the answers', async () => {
  const { page, errors } = await studio.enter('tobin')
  await goTo(page, studio, '/redirects')
  await page.getByRole('button', { name: 'Paste two columns' }).click()
  await page.getByLabel('It is', { exact: true }).selectOption('httpd')
  const lines = [
    'RewriteEngine On',
    '<IfModule mod_rewrite.c>',
    'RewriteRule ^/asked/(.*)$ /ferries/$1 [R=301,L]',
    '</IfModule>',
    'Include conf/more.conf',
  ]
  await page.getByLabel('Or pasted here').fill(lines.join('\n'))
  await page.getByRole('button', { name: 'Look at it' }).click()
  await page.getByText('0 new rows').waitFor()
  assert.deepEqual(await axeFinds(page), [])
  await page.getByLabel('It has', { exact: true }).check()
  await page
    .getByLabel(/Bring in conf\/more\.conf/)
    .setInputFiles({ name: 'more.conf', mimeType: 'text/plain', buffer: Buffer.from('Redirect 301 /brought /ferries') })
  await page.getByRole('button', { name: 'Look at it again' }).click()
  await page.getByText('2 new rows').waitFor()
  assert.equal(await page.getByText('Some lines depend').count(), 0)
  await page.keyboard.press('Escape')
  assert.deepEqual(errors, [])
})

test('the bench tells what answers and why nothing else does, now and on a past day; one key makes a row from it, or opens the one that answers', async () => {
  const { page } = await studio.enter('tobin')
  await goTo(page, studio, '/redirects')
  const bench = page.getByLabel('Bench', { exact: true }).and(page.locator('input'))
  await bench.fill('/ferries/timetable')
  const told = page.getByRole('region', { name: 'Bench' })
  await told.getByText('This row answers').waitFor()
  await told.getByText('/ferries would fit too, but comes later').waitFor()
  await told.getByText('would fit, but is for another host').waitFor()
  await bench.fill('/causeway-walk')
  await told.getByText('/walks/causeway.html').waitFor()
  await page.getByLabel('as of').fill(new Date(Date.now() - 20 * 86_400_000).toISOString().slice(0, 10))
  await told.getByText(/slow-ferry\.localhost:\d+\/$/).waitFor()
  await page.getByLabel('as of').fill('')
  await bench.fill('/brand-new')
  await told.getByText('No row answers.').waitFor()
  await bench.press('Enter')
  const dialog = page.getByRole('dialog', { name: 'A new row' })
  assert.equal(await dialog.getByLabel('Asked for').inputValue(), '/brand-new')
  await dialog.getByLabel('Lands on').fill('/about.html')
  await dialog.getByRole('button', { name: 'Make the row' }).click()
  await dialog.waitFor({ state: 'hidden' })
  await bench.fill('/Brand-New/')
  await told.getByText('This row answers').waitFor()
  await bench.press('Enter')
  await page.getByRole('dialog', { name: 'What answers /brand-new' }).waitFor()
  await untilAnswered('/brand-new', '301 /about.html')
})

test('the table is one stop of the Tab key, its missed addresses another, and arrows go about in both', async () => {
  const { page } = await studio.enter('tobin')
  await goTo(page, studio, '/redirects')
  const at = () =>
    page.evaluate(() => {
      const here = document.activeElement
      return here?.matches('[data-open]')
        ? 'row'
        : here?.matches('[data-missed]')
          ? 'missed'
          : (here?.getAttribute('aria-label') ?? here?.textContent ?? '')
    })
  // Both lists are asked for apart: what is not there yet is no stop.
  await page.locator('[data-missed]').first().waitFor()
  await page.locator('[data-at="0"] [data-open]').focus()
  await page.keyboard.press('ArrowDown')
  assert.equal(await page.evaluate(() => document.activeElement?.closest('[data-at]')?.getAttribute('data-at')), '1')
  await page.keyboard.press('ArrowLeft')
  assert.match(await at(), /^Choose /)
  await page.keyboard.press('ArrowRight')
  await page.keyboard.press('ArrowRight')
  assert.match(await at(), /^More/)
  await page.keyboard.press('ArrowLeft')
  const stops: string[] = []
  for (let n = 0; n < 6 && stops.at(-1) !== 'missed'; n++) {
    await page.keyboard.press('Tab')
    stops.push(await at())
  }
  assert.equal(stops.at(-1), 'missed', `from a row to the missed addresses: ${stops.join(', ')}`)
  assert.ok(!stops.includes('row'))
  await page.keyboard.press('ArrowDown')
  await page.keyboard.press('ArrowRight')
  assert.match(await at(), /^Lead it elsewhere/)
  await page.keyboard.press('Shift+Tab')
  await page.keyboard.press('Shift+Tab')
  assert.notEqual(await at(), 'missed')
})

test('a row is changed where it stands, by keys alone, and a page is not hidden without being told', async () => {
  const { page } = await studio.enter('tobin')
  await goTo(page, studio, '/redirects')
  await page.getByLabel('Find a row').fill('map14')
  const row = page.locator('[data-at="0"] [data-open]')
  await page.getByText('1 row found').waitFor()
  await row.focus()
  await page.keyboard.press('Enter')
  await page.keyboard.press('Tab')
  await page.keyboard.press('Tab')
  await page.keyboard.press('Control+A')
  await page.keyboard.type('/about.html')
  await page.keyboard.press('Enter')
  await page.getByText('/map14 is answered from now on.').waitFor()
  await untilAnswered('/map14', '302 /about.html')
  await page.locator('[data-at="0"]').getByText('/about.html').waitFor()
  await page.getByRole('button', { name: 'Undo' }).click()
  await page.locator('[data-at="0"]').getByText('contour-kiosk.localhost').waitFor()
  await row.press('o')
  await page.getByText('/map14 is off').waitFor()
  await untilAnswered('/map14', '404 ')
  assert.deepEqual(await axeFinds(page), [])
  await row.focus()
  await page.keyboard.press('Delete')
  await page.getByText('No row is like that.').waitFor()
  await page.getByRole('button', { name: 'New row' }).click()
  const dialog = page.getByRole('dialog', { name: 'A new row' })
  await dialog.getByLabel('Asked for').fill('/about.html')
  await dialog.getByLabel('Lands on').fill('/timetables.html')
  await dialog.getByText('When, where, and what else').click()
  await dialog.getByLabel('Answers although a page is published there').check()
  await dialog.getByRole('button', { name: 'Make the row' }).click()
  await dialog.getByText('/about.html would no longer be seen by anybody').waitFor()
  assert.equal(await answerOf('/about.html'), '200 ')
})

test('the review shows what mends the table before it does, and one click takes it back', async () => {
  const { page } = await studio.enter('tobin')
  await goTo(page, studio, '/redirects')
  await page.getByRole('button', { name: 'in several steps' }).click()
  await page.getByText('/walks/the-causeway → /causeway-walk → /walks/causeway.html').waitFor()
  await page.getByRole('button', { name: 'See the mend' }).click()
  await page.getByRole('button', { name: 'Mend 1 row' }).click()
  await page.getByText('1 row mended.').waitFor()
  await untilAnswered('/walks/the-causeway', '301 /walks/causeway.html')
  await page.getByRole('button', { name: 'Undo' }).click()
  await untilAnswered('/walks/the-causeway', '301 /causeway-walk')
})

test('a missed address becomes a row by one key, and is missed no longer', async () => {
  const { page } = await studio.enter('tobin')
  await goTo(page, studio, '/redirects')
  const missed = page.getByRole('complementary', { name: 'Missed addresses' })
  const first = missed.locator('[data-missed]').first()
  await first.getByText('/timetabels').waitFor()
  await first.focus()
  await page.keyboard.press('Enter')
  await page.getByText('1 address is answered from now on.').waitFor()
  await untilAnswered('/timetabels', '301 /timetables.html')
  await missed.getByText('/timetabels').first().waitFor({ state: 'detached' })
})

test('a move is rehearsed, replayed with what is chosen, and made in one step', async () => {
  const { page } = await studio.enter('tobin')
  await goTo(page, studio, '/redirects')
  await page.getByRole('button', { name: 'Rehearse a move' }).click()
  const dialog = page.getByRole('dialog', { name: 'Rehearse a move' })
  await dialog.getByLabel('Or pasted here, one a line').fill('https://old.example/rooms-by-quay.php\n/islands/skarow\n/what-we-took-along')
  await dialog.getByRole('button', { name: 'Rehearse', exact: true }).click()
  await dialog.getByText('2 chosen').waitFor()
  assert.deepEqual(await axeFinds(page), [])
  await dialog.getByText('Replay a log with what is chosen').click()
  const line = (path: string) => `10.0.0.1 - - [26/Nov/2026:10:00:00 +0000] "GET ${path} HTTP/1.1" 404 12 "-" "Firefox"\n`
  await dialog.getByLabel('An access log').setInputFiles({
    name: 'access.log',
    mimeType: 'text/plain',
    buffer: Buffer.from(line('/rooms-by-quay.php').repeat(3) + line('/what-we-took-along')),
  })
  await dialog.getByRole('row', { name: /^answered 3 75 % 1/ }).waitFor()
  await dialog.getByRole('button', { name: 'Make 2 rows' }).click()
  await dialog.getByText('2 rows answer now').waitFor()
  await dialog.getByRole('button', { name: 'Done' }).click()
  await untilAnswered('/islands/skarow', '301 /islands/skarrow.html')
})

test('a page that moves leads its old address along in the same step', async (t) => {
  const { page } = await studio.enter('mara')
  const id = await openPage(page, studio, '/what-to-pack.html')
  t.after(async () => {
    const { version } = await askCopy<{ version: number }>(studio, 'GET', `/pages/${id}`)
    await askCopy(studio, 'POST', `/pages/${id}/move`, { version, path: '/what-to-pack.html' })
    await untilAnswered('/what-to-pack.html', '200 ')
  })
  await page.getByRole('button', { name: 'Move it or take it away' }).click()
  const dialog = page.getByRole('dialog', { name: /stands$/ })
  await dialog.getByText(/links? of the site leads? to it/).waitFor()
  assert.deepEqual(await axeFinds(page), [])
  await dialog.getByLabel('Its new address').fill('/packing-for-a-day.html')
  await dialog.getByRole('button', { name: 'Move it' }).click()
  await untilAnswered('/what-to-pack.html', '301 /packing-for-a-day.html')
  await untilAnswered('/packing-for-a-day.html', '200 ')
})
