import assert from 'node:assert/strict'
import { test } from 'node:test'
import { aStudio, askCopy, goTo, untilAwake } from './studio.ts'

const studio = aStudio()

interface Link {
  id: string
  version: number
  destination: string
  title: string
  note: string
}
const makeLink = (slug: string): Promise<Link> =>
  askCopy<Link>(studio, 'POST', '/short-links', { destination: `https://tides.example/${slug}`, slug, title: 'Tides' })
const linkNow = (id: string): Promise<Link> => askCopy<Link>(studio, 'GET', `/short-links/${id}`)
const changeLink = async (id: string, change: object): Promise<Response> =>
  fetch(`${studio.copy.url}/api/v1/short-links/${id}`, {
    method: 'PATCH',
    headers: { Authorization: `Bearer ${studio.copy.token}`, 'Content-Type': 'application/json' },
    body: JSON.stringify(change),
  })

test('numbers are kept as people type them, understood with mark and unit, and what is not understood is said and not sent', async () => {
  const { page } = await studio.enter('mara')
  await goTo(page, studio, '/partners')
  await page.getByRole('button', { name: 'Add a partner' }).click()
  const dialog = page.getByRole('dialog')
  await dialog.getByLabel('Name', { exact: true }).fill('Lamp & Oar')
  await dialog.getByLabel('Sites, one a line').fill('lamp-oar.example')
  await dialog.getByLabel('Commission').selectOption('percent')
  assert.equal(await dialog.getByLabel('Percent').inputValue(), '', 'nothing is invented')
  const days = dialog.getByLabel('Remembers a visitor for (days)')
  await dialog.getByLabel('Percent').pressSequentially('8,5 %')
  await days.pressSequentially('4 weeks')
  await dialog.getByLabel('Pays from').fill('12,50 €')
  await dialog.getByText('“weeks” is not understood here: days are meant.').waitFor()
  await dialog.getByRole('button', { name: 'Save' }).click()
  assert.equal(await dialog.getByLabel('Percent').inputValue(), '8,5 %')
  assert.equal(await days.inputValue(), '4 weeks')
  await days.fill('30 days')
  await dialog.getByRole('button', { name: 'Save' }).click()
  await page.getByText('Lamp & Oar is saved.').waitFor()
  const { items } = await askCopy<{ items: { name: string; commission: object; cookieDays: number; payout: { threshold: number } }[] }>(
    studio,
    'GET',
    '/partners',
  )
  const made = items.find(({ name }) => name === 'Lamp & Oar')
  assert.deepEqual([made?.commission, made?.cookieDays, made?.payout.threshold], [{ kind: 'percent', percent: 8.5 }, 30, 1_250])
})

test('what somebody else saves takes nothing that is typed: what does not touch is merged, what does stands side by side', async () => {
  const { page } = await studio.enter('mara')
  const { id, version } = await makeLink('two-windows')
  await goTo(page, studio, `/short-links/${id}`)
  await page.getByRole('button', { name: 'Change Where it leads' }).click()
  const dialog = page.getByRole('dialog')
  await dialog.getByLabel('Note, for yourself').fill('my note')
  await dialog.getByLabel('What it is').fill('My title')
  assert.equal((await changeLink(id, { version, title: 'Their title', destination: 'https://tides.example/theirs' })).status, 200)
  // Seen by the log, before anything is saved.
  const sides = dialog.getByRole('alert', { name: 'Changed by somebody else as well' })
  await sides.getByText('Their title').waitFor()
  assert.equal(await dialog.getByLabel('Leads to').inputValue(), 'https://tides.example/theirs', 'what I did not touch is theirs')
  assert.equal(await dialog.getByLabel('Note, for yourself').inputValue(), 'my note')
  assert.equal(await dialog.getByLabel('What it is').inputValue(), 'My title')
  assert.equal(await dialog.getByRole('button', { name: 'Save' }).isDisabled(), true)
  await sides.getByRole('button', { name: 'Take theirs for What it is' }).click()
  await dialog.getByRole('button', { name: 'Save' }).click()
  await page.getByText('two-windows leads to https://tides.example/theirs now.').waitFor()
  const now = await linkNow(id)
  assert.deepEqual([now.title, now.note, now.destination], ['Their title', 'my note', 'https://tides.example/theirs'])
})

test('two people save rules from the same list: what the other switched off stays off, and a new rule of mine is there', async (t) => {
  const before = await askCopy<{ version: number; rules: { id: string; isOn: boolean }[] }>(studio, 'GET', '/rules')
  t.after(async () => {
    const { version } = await askCopy<{ version: number }>(studio, 'GET', '/rules')
    await askCopy(studio, 'PUT', '/rules', { version, rules: before.rules })
  })
  const { page } = await studio.enter('mara')
  await goTo(page, studio, '/rules')
  await page.getByRole('button', { name: 'New rule' }).click()
  await page.getByLabel('What is asked of the link').selectOption('lead to a partner')
  await page.getByLabel('open', { exact: true }).selectOption('in the same tab')
  const [first, ...others] = before.rules
  await askCopy(studio, 'PUT', '/rules', { version: before.version, rules: [{ ...first, isOn: false }, ...others] })
  await page.getByRole('button', { name: 'Save rules' }).click()
  await page.getByText('Saved. Every page is delivered').waitFor()
  const now = await askCopy<typeof before>(studio, 'GET', '/rules')
  assert.deepEqual([now.rules.length, now.rules[0]?.isOn], [before.rules.length + 1, false])
})

test('without a connection a dialog says so, keeps what it has, and sends it once; Escape takes it back', async () => {
  const { page, context } = await studio.enter('mara', { viewport: { width: 1280, height: 800 } })
  const { id } = await makeLink('no-signal')
  await goTo(page, studio, `/short-links/${id}`)
  await page.getByRole('button', { name: 'Change Where it leads' }).click()
  const dialog = page.getByRole('dialog')
  const save = dialog.getByRole('button', { name: 'Save' })
  await dialog.getByLabel('Note, for yourself').fill('written at sea')
  await context.setOffline(true)
  await save.click()
  await dialog.getByText('Map Rope cannot be reached.').waitFor()
  await page.keyboard.press('Escape')
  await dialog.getByText('Map Rope cannot be reached.').waitFor({ state: 'detached' })
  assert.equal(await dialog.getByLabel('Note, for yourself').inputValue(), 'written at sea')
  await context.setOffline(false)
  await page.waitForTimeout(500)
  assert.equal((await linkNow(id)).note, '', 'what was taken back is not sent')

  await context.setOffline(true)
  await save.click()
  await dialog.getByText('Map Rope cannot be reached.').waitFor()
  assert.equal(await dialog.getByLabel('Note, for yourself').isDisabled(), true, 'what goes is what was asked for')
  await context.setOffline(false)
  await page.getByText('no-signal leads to').waitFor()
  const { note, version } = await linkNow(id)
  assert.deepEqual([note, version], ['written at sea', 2], 'once')
})

test('a dialog that could not be saved still asks before it goes; what was half filled in outlives a reload', async () => {
  const { page } = await studio.enter('mara')
  const { id } = await makeLink('half-full')
  await goTo(page, studio, `/short-links/${id}`)
  await page.getByRole('button', { name: 'Change Where it leads' }).click()
  const dialog = page.getByRole('dialog')
  await dialog.getByLabel('Leads to').fill('javascript:alert(1)')
  await dialog.getByLabel('Note, for yourself').fill('do not lose me')
  await dialog.getByRole('button', { name: 'Save' }).click()
  await dialog.getByRole('alert').waitFor()
  await page.keyboard.press('Escape')
  await page.getByRole('alertdialog', { name: 'Close without saving?' }).waitFor()
  await page.getByRole('button', { name: 'Go on' }).click()
  page.on('dialog', (asked) => void asked.accept())
  await page.reload()
  await untilAwake(page)
  await page.getByRole('button', { name: 'Change Where it leads' }).click()
  await dialog.getByText('What you had filled in here is here again.').waitFor()
  assert.equal(await dialog.getByLabel('Note, for yourself').inputValue(), 'do not lose me')

  await goTo(page, studio, '/partners')
  await page.getByRole('button', { name: 'Phrases', exact: true }).click()
  await page.getByLabel('Phrases, one a line').fill('tarred rope')
  await page.getByRole('button', { name: 'Disclosure', exact: true }).click()
  await page.getByRole('button', { name: 'Phrases', exact: true }).click()
  assert.equal(await page.getByLabel('Phrases, one a line').inputValue(), 'tarred rope')
  await page.getByLabel('Phrases, one a line').fill('')
})
