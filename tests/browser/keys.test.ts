import assert from 'node:assert/strict'
import { test } from 'node:test'
import type { Page } from 'playwright-core'
import { aStudio, caretBehind, goTo, keepRules, openPage, ownPage, selectWords, toLinkField, untilSaved } from './studio.ts'

const studio = aStudio()

/** What has the keyboard: its label, or its words. */
const focused = (page: Page): Promise<string> =>
  page.evaluate(() => {
    const at = document.activeElement
    const label = at?.id ? document.querySelector(`label[for="${CSS.escape(at.id)}"]`)?.textContent : null
    return (at?.getAttribute('aria-label') ?? label ?? at?.textContent ?? '').trim()
  })
const untilFocused = (page: Page, part: string): Promise<unknown> =>
  page.waitForFunction((wanted) => {
    const at = document.activeElement
    const label = at?.id ? document.querySelector(`label[for="${CSS.escape(at.id)}"]`)?.textContent : null
    return (at?.getAttribute('aria-label') ?? label ?? at?.textContent ?? '').includes(wanted)
  }, part)
/** What a screen reader was told last. */
const untilTold = (page: Page, words: RegExp): Promise<void> => page.locator('[aria-live=polite].sr-only').getByText(words).waitFor()

test('a rule is built without a mouse: parts of its form are skipped, moves are told, and after saving the keys are where they were', async (t) => {
  await keepRules(t, studio)
  const { page } = await studio.enter('mara')
  await goTo(page, studio, '/rules')
  await page.getByRole('button', { name: 'New rule' }).press('Enter')
  const skip = page.getByRole('button', { name: 'Skip to how they open' })
  // They are there for the keys alone: out of sight until one of them has the focus.
  const room = async (): Promise<number> => (await skip.locator('..').boundingBox())?.width ?? 0
  assert.ok((await room()) <= 2)
  await skip.focus()
  assert.ok((await room()) > 24)
  await page.keyboard.press('Enter')
  assert.equal(await focused(page), 'open')
  await page.keyboard.press('ArrowDown')
  await page.getByRole('button', { name: 'Skip to the name' }).press('Enter')
  assert.equal(await focused(page), 'Name of the rule')
  await page.keyboard.type('Outward')
  const row = page.locator('[data-rule]', { hasText: 'Outward' })
  const id = (await row.getAttribute('data-rule')) ?? ''
  const grip = page.locator(`[data-rule-grip="${id}"]`)
  await grip.focus()
  await page.keyboard.press('Alt+ArrowUp')
  await untilTold(page, /^Outward is number \d+ of \d+\.$/)
  assert.equal(await grip.evaluate((each) => each === document.activeElement), true)
  await page.getByRole('button', { name: 'Skip to saving' }).press('Enter')
  assert.equal(await focused(page), 'Save rules')
  await page.keyboard.press('Enter')
  await page.getByText('Saved. Every page is delivered by these rules').waitFor()
  await page.waitForFunction((wanted) => document.activeElement?.getAttribute('data-rule') === wanted, id)
})

test('a menu’s grips answer to the keys they name, each move is told with its level, and a new entry’s words are ready to be typed over', async () => {
  const { page } = await studio.enter('mara')
  await goTo(page, studio, '/menus')
  await page.getByRole('link', { name: /Main menu/ }).click()
  await page.getByRole('button', { name: /^Islands/ }).waitFor()
  await page.getByRole('button', { name: 'Link', exact: true }).click()
  await untilFocused(page, 'Label')
  await page.keyboard.type('Tide clock')
  const grip = page.getByRole('button', { name: 'Move Tide clock' })
  await grip.focus()
  await page.keyboard.press('Alt+ArrowUp')
  await untilTold(page, /^Tide clock is number \d+ of \d+, level 1\.$/)
  await untilFocused(page, 'Move Tide clock')
  await page.keyboard.press('Alt+ArrowRight')
  await untilTold(page, /, level 2\.$/)
  await page.getByRole('button', { name: /^Tide clock ?, level 2/ }).waitFor()
})

test('several landings are typed one after the other: Enter goes to the next box, and what leads nowhere is told at its box', async () => {
  const { page } = await studio.enter('mara')
  await goTo(page, studio, '/menus')
  await page.getByRole('link', { name: /Main menu/ }).click()
  await page.getByRole('button', { name: 'Title', exact: true }).click()
  await page.getByLabel('Label').fill('Notes')
  await page.getByLabel('Choose the title Islands').check()
  await page.getByLabel('Choose the title Notes').check()
  const form = page.locator('form', { hasText: '2 titles: where do they lead?' })
  const [first, second] = [form.getByLabel('Islands'), form.getByLabel('Notes')]
  await first.fill('islands page')
  await form.getByText('This is no address.').waitFor()
  assert.equal(await first.getAttribute('aria-invalid'), 'true')
  assert.equal(await form.getByRole('button', { name: 'Set them all' }).isDisabled(), true)
  await first.fill('/nowhere.html')
  await form.getByText('No page of this path is in the list.').waitFor()
  await first.fill('/about.html')
  await first.press('Enter')
  assert.equal(await second.evaluate((each) => each === document.activeElement), true)
  assert.equal(await form.isVisible(), true)
  await second.fill('/timetables.html')
  await second.press('Enter')
  assert.equal(await focused(page), 'Set them all')
})

test('a picture that was linked stays chosen, and where it says nothing its words are asked for at once', async () => {
  const { page } = await studio.enter('tobin')
  const id = await ownPage(page, studio, '/keys/picture.html', '<p><img src="/files/boat.svg" alt="" width="40"> words</p>')
  await page.frameLocator('iframe[data-shown=true]').locator('main img[width]').click()
  await page.getByRole('heading', { name: 'Link the picture' }).waitFor()
  await page.getByLabel('Where does it lead?').fill('/about.html')
  await page.getByLabel('Where does it lead?').press('Enter')
  await untilSaved(page, studio, id, '<a href="/about.html" data-by-hand=""><img')
  await untilFocused(page, 'What it shows, in words')
  await page.keyboard.type('A boat at the quay')
  await page.keyboard.press('Tab')
  await untilSaved(page, studio, id, 'alt="A boat at the quay"')
  await page.getByRole('heading', { name: 'Its link' }).waitFor()
})

test('on a phone the button that links stands right under the field, and everything to tick is 24 pixels', async () => {
  const { page } = await studio.enter('tobin', { viewport: { width: 390, height: 800 }, hasTouch: true })
  await ownPage(page, studio, '/keys/phone.html', '<p>small boats</p>')
  await selectWords(page, 'small boats')
  await toLinkField(page)
  await page.keyboard.insertText('/timetables.html')
  await page.getByText('How does it open?').waitFor()
  const tops = await page
    .locator('[data-link-field], button, legend')
    .evaluateAll((all) =>
      ['', 'Link the words', 'How does it open?'].map(
        (words) =>
          all
            .find((each) => each.textContent?.trim() === words && (words !== '' || each.matches('[data-link-field]')))
            ?.getBoundingClientRect().top ?? -1,
      ),
    )
  const [field = 0, button = 0, question = 0] = tops
  assert.ok(field < button && button < question, JSON.stringify(tops))
  for (const at of ['/rules', '/links', '/publications', '/files']) {
    await goTo(page, studio, at)
    const small = await page
      .locator('input[type=checkbox]:visible, input[type=radio]:visible')
      .evaluateAll(
        (boxes) => boxes.filter((box) => Math.min(box.clientWidth, box.clientHeight) < 24 && box.getBoundingClientRect().width < 24).length,
      )
    assert.equal(small, 0, `${at} has ${small} boxes under 24 pixels`)
  }
})

test('a page that is open in one tab is open in one tab, also after a reload', async () => {
  const { page } = await studio.enter('tobin')
  await openPage(page, studio, '/timetables.html')
  await page.reload()
  await page.waitForSelector('iframe[data-shown=true]')
  const signed = page.waitForResponse((answer) => answer.url().endsWith('/presence') && answer.request().method() === 'POST')
  await signed
  assert.equal(await page.getByText('in another tab').count(), 0)
})

test('Ctrl+Home comes to the first words and not to the logo; Ctrl+K without words asks for some, and writes nothing into the page', async () => {
  const { page } = await studio.enter('tobin')
  const id = await ownPage(page, studio, '/keys/home.html', '<h1>Home words</h1>\n<p>quay office</p>')
  await caretBehind(page, 'quay')
  await page.keyboard.press('Control+Home')
  await page.keyboard.type('Our ')
  await untilSaved(page, studio, id, '<h1>Our Home words</h1>')
  await page.keyboard.press('Control+k')
  await untilFocused(page, 'Words of the page to link')
  await page.keyboard.type('office')
  await page.keyboard.press('Enter')
  await page.getByRole('heading', { name: 'Link “office”' }).waitFor()
})

test('a list is one stop of the Tab key with arrows inside, and after linking the focus is where the work goes on', async () => {
  const { page } = await studio.enter('tobin')
  await goTo(page, studio, '/short-links')
  const list = page.getByRole('list', { name: 'Short links' })
  const stops = () =>
    list.locator('a, button, input').evaluateAll((all) => all.filter((each) => (each as HTMLElement).tabIndex === 0).length)
  await page.waitForFunction(
    () =>
      [...document.querySelectorAll('ul[aria-label="Short links"] input')].filter((box) => (box as HTMLElement).tabIndex === 0).length <= 1,
  )
  assert.equal(await stops(), 1)
  const first = list.getByRole('listitem').first().getByRole('checkbox')
  await first.focus()
  await page.keyboard.press('ArrowDown')
  const second = list.getByRole('listitem').nth(1)
  assert.equal(await second.getByRole('checkbox').evaluate((box) => box === document.activeElement), true)
  await page.keyboard.press('ArrowRight')
  assert.equal(
    await second
      .getByRole('link')
      .first()
      .evaluate((link) => link === document.activeElement),
    true,
  )
  assert.equal(await stops(), 1, 'the one that has the focus')
  await page.keyboard.press('Tab')
  assert.equal(await list.evaluate((ul) => ul.contains(document.activeElement)), false)
  await page.keyboard.press('F6')
  assert.notEqual(await page.evaluate(() => document.activeElement?.tagName), 'BODY')

  await ownPage(page, studio, '/focus.html', '<h1>Focus</h1>\n<p>Words that are linked by keys.</p>')
  await selectWords(page, 'linked')
  await toLinkField(page)
  await page.keyboard.insertText('/timetables.html')
  const button = page.getByRole('button', { name: 'Link the words' })
  await button.press('Enter')
  await button.waitFor({ state: 'detached' })
  await page.waitForFunction(() => document.activeElement !== null && document.activeElement !== document.body)
  assert.equal(
    await page.evaluate(
      () =>
        document.querySelector('[data-panel]')?.contains(document.activeElement) === true || document.activeElement?.tagName === 'IFRAME',
    ),
    true,
  )
})
