import assert from 'node:assert/strict'
import { readFileSync, writeFileSync } from 'node:fs'
import path from 'node:path'
import { test } from 'node:test'
import { unzipSync } from 'fflate'
import { zipOf } from '../integration/world.ts'
import { aStudio, goTo, keepRules, openPage, selectWords, sourceOf, toLinkField, untilSaved } from './studio.ts'

const studio = aStudio()

/** A site as somebody might bring it in: another encoding, another style, a link that is paid. */
function broughtSite(standIns: string): Record<string, string | Uint8Array> {
  return {
    'old/log.html': Uint8Array.from(
      Buffer.from(
        `<HTML><HEAD><TITLE>Old log</TITLE><LINK REL=stylesheet HREF=log.css></HEAD>\r\n<BODY><H1>Caf\xe9 log</H1>\r\n<P>We met at the harbour and bought <A HREF="${standIns}/caps/oilskin">a cap</A>.\r\n<SCRIPT>document.title = 'run'</SCRIPT></BODY></HTML>`,
        'latin1',
      ),
    ),
    'old/log.css': 'h1 { color: rgb(1, 2, 3) }',
  }
}

test('one link goes all the way round', { timeout: 180_000 }, async (t) => {
  await keepRules(t, studio)
  const { page, errors } = await studio.enter('mara')
  const { copy } = studio
  const demo = (await (await page.request.get(`${copy.url}/api/v1/short-links?slug=cap`)).json()) as { items: { destination: string }[] }
  const standIns = new URL(demo.items[0]?.destination ?? '').origin

  // 2. Bring a site in: a dry run first.
  const zip = path.join(copy.folder, 'site.zip')
  const site = broughtSite(standIns)
  writeFileSync(zip, zipOf({ ...site, '../evil.html': '<p>' }))
  await goTo(page, studio, '/pages')
  await page.getByRole('button', { name: 'Bring in a site' }).click()
  await page.getByLabel('Zip, HTML, Markdown or feed files').setInputFiles(zip)
  await page.getByText('2 files would come in').waitFor()
  await page.getByText('Its name points outside of the zip').waitFor()
  assert.equal(((await (await page.request.get(`${copy.url}/api/v1/pages?path=/old/log.html`)).json()) as { total: number }).total, 0)
  await page.getByRole('button', { name: 'Bring in 2 files' }).click()
  await page.getByText('2 files have come in').waitFor()
  await page.getByRole('button', { name: 'Done' }).click()
  await page.getByRole('link', { name: /Old log/ }).waitFor()

  // 3. Open it as readers see it, with its own style and without its scripts; link words.
  const id = await openPage(page, studio, '/old/log.html')
  const frame = page.frameLocator('iframe')
  assert.equal(await frame.locator('h1').evaluate((h1) => getComputedStyle(h1).color), 'rgb(1, 2, 3)')
  assert.notEqual(await frame.locator('h1').evaluate(() => document.title), 'run')
  assert.equal(await frame.locator('h1').innerText(), 'Café log')
  await selectWords(page, 'the harbour')
  await toLinkField(page)
  await page.keyboard.insertText(`http://${standIns}/smocks/waxed `)
  await page.getByText('Left one “http” of two').waitFor()
  await page.getByRole('button', { name: 'We don’t vouch' }).click()
  await page.getByText('because you set it by hand').waitFor()
  assert.match(await page.locator('code').last().innerText(), /rel="nofollow noopener"\s+target="_blank"/)
  await page.getByRole('button', { name: 'Link the words' }).click()
  await page.locator('[data-saving=saved]').waitFor()
  const source = await sourceOf(page, studio, id)
  assert.ok(source.includes(`met at <a href="${standIns}/smocks/waxed" rel="nofollow" data-by-hand="hints">the harbour</a> and`), source)
  // An inside page is found by its title.
  await selectWords(page, 'We met')
  await toLinkField(page)
  await page.keyboard.insertText('timetab')
  await page.getByRole('option', { name: /Timetables/ }).waitFor()
  await page.keyboard.press('Enter')
  await page.waitForFunction(() => document.querySelector<HTMLInputElement>('[data-link-field]')?.value === '/timetables.html')
  await page.keyboard.press('Enter')
  await untilSaved(page, studio, id, '<a href="/timetables.html" data-by-hand="">We met</a>')
  await page.getByRole('button', { name: 'Publish this page' }).click()
  // The hand that does not vouch for a partner keeps from search engines that it is paid: that is told before.
  const asked = page.getByRole('dialog', { name: 'Publish 1 page?' })
  await asked.getByText('A paid link does not say so').waitFor()
  await asked.getByRole('button', { name: 'Publish 1 page' }).click()
  await page.getByText('Published: 1 page').waitFor()

  // 4. Say rules with sentences, and see what they change before they do.
  await goTo(page, studio, '/rules')
  for (const index of [1, 1, 1]) await page.getByRole('button', { name: `Take rule ${index} away` }).click()
  await page.getByRole('button', { name: 'New rule' }).last().click()
  await page.getByLabel('What is asked of the link').selectOption('lead to these sites')
  await page.getByLabel('Sites, with commas between them').fill('gannet-line.localhost, https://www.bothy-beds.localhost/rooms')
  await page.getByLabel('and search engines are told').selectOption('it is paid (sponsored nofollow)')
  await page.getByText('Links to gannet-line.localhost and bothy-beds.localhost are marked as paid').waitFor()
  await page.getByRole('button', { name: 'New rule' }).last().click()
  await page.getByLabel('open', { exact: true }).selectOption('in a new tab')
  await page.getByRole('button', { name: 'New rule' }).last().click()
  await page.getByRole('button', { name: 'inside pages', exact: true }).click()
  await page.getByRole('button', { name: 'other sites', exact: true }).click()
  await page.getByLabel('open', { exact: true }).selectOption('in the same tab')
  const told = page.getByTestId('impact')
  await told.getByText(/\d+ links on \d+ pages/).waitFor()
  const promised = Number(/(\d+) links/.exec(await told.innerText())?.[1])
  assert.ok(promised > 5)
  // Partners’ links are paid without a rule: none of those loses it by these.
  await page.locator('code', { hasText: 'sponsored nofollow' }).first().waitFor()
  await page.getByRole('button', { name: 'Save rules' }).click()
  await page.getByText('Change a rule, and see here').waitFor()
  await goTo(page, studio, '/')
  await page.getByText('1 paid link does not say so').waitFor() // the one whose answer was given by hand

  // 5. The live pages, old and new, have the marks; what is stored is unchanged; an outside link lands in a new tab.
  const visitor = await studio.browser.newContext({
    userAgent: 'Mozilla/5.0 (X11; Linux x86_64) AppleWebKit/537.36 Chrome/126.0 Safari/537.36',
  }) // a headless one counts as a bot
  const live = await visitor.newPage()
  const at = `http://slow-ferry.localhost:${copy.port}/old/log.html`
  for (let tries = 0; tries < 50 && (await live.goto(at))?.status() !== 200; tries++) await live.waitForTimeout(100)
  assert.deepEqual(await visitor.cookies(), [])
  const marks = (name: string) =>
    live.getByRole('link', { name }).evaluate((a) => [a.getAttribute('rel'), a.getAttribute('target'), a.hasAttribute('data-by-hand')])
  assert.deepEqual(await marks('a cap'), ['sponsored nofollow noopener', '_blank', false])
  assert.deepEqual(await marks('the harbour'), ['nofollow noopener', '_blank', false])
  assert.deepEqual(await marks('We met'), [null, null, false])
  assert.ok((await sourceOf(page, studio, id)).includes(`<A HREF="${standIns}/caps/oilskin">a cap</A>`))
  const [opened] = await Promise.all([visitor.waitForEvent('page'), live.getByRole('link', { name: 'a cap' }).click()])
  await opened.getByRole('heading', { name: 'The oilskin cap' }).waitFor()
  assert.equal(live.url(), `http://slow-ferry.localhost:${copy.port}/old/log.html`)

  // 6. A short link: paste, take a suggestion, copy; its click shows up, also after the server was killed.
  await goTo(page, studio, '/short-links')
  await page.getByLabel('Long address').fill(`${standIns}/smocks/waxed?p=4471&ref=round`)
  await page
    .getByRole('button', { name: /^waxed/ })
    .first()
    .click()
  await page.getByRole('button', { name: /^Make sferry/ }).click()
  const address = await page.getByTestId('made').innerText()
  await page.getByRole('button', { name: 'Copy', exact: true }).click()
  assert.equal(await page.evaluate(() => navigator.clipboard.readText()), address)
  const slug = address.split('/').pop() ?? ''
  await live.goto(address)
  assert.equal(new URL(live.url()).pathname, '/smocks/waxed')
  const gone = new Promise((resolve) => copy.server.once('exit', resolve))
  copy.server.kill('SIGKILL')
  await gone
  copy.server = await copy.start()
  await page.locator(`[data-clicks="${slug}"]`, { hasText: '1 click' }).waitFor({ timeout: 10_000 })

  // 7. The site as a zip: every byte outside the changed start tags as it came in.
  await goTo(page, studio, '/pages')
  const [download] = await Promise.all([
    page.waitForEvent('download'),
    page.getByRole('link', { name: 'Take the live site as a zip' }).click(),
  ])
  const files = unzipSync(readFileSync(await download.path()))
  const out = Buffer.from(files['old/log.html'] ?? []).toString('latin1')
  const original = Buffer.from(site['old/log.html'] as Uint8Array).toString('latin1')
  const bare = out.replace(/<a [^>]*>(the harbour|We met)<\/a>/g, '$1').replace(/ rel="[^"]*" target="_blank"/g, '')
  assert.equal(bare, original)
  assert.equal(Buffer.from(files['old/log.css'] ?? []).toString(), site['old/log.css'])
  assert.deepEqual(
    errors.filter((words) => !/ERR_CONNECTION_REFUSED|Failed to load resource|Executing inline script/.test(words)),
    [],
  )
  await visitor.close()
})
