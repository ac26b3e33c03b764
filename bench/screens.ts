import { type Browser, chromium, type Page } from 'playwright-core'
import { CHROMIUM } from '../bin/chromium.mjs'
import { median, type Row, sized } from './measure.ts'
import { fillPlacements, openStudio, type Studio, signIn } from './studio.ts'

const ROUNDS = 5

async function onScreen<T>(placements: number, work: (page: Page, studio: Studio) => Promise<T>): Promise<T> {
  const studio = await openStudio()
  let browser: Browser | null = null
  try {
    await fillPlacements(studio, placements)
    browser = await chromium.launch(CHROMIUM)
    const page = await browser.newPage({ viewport: { width: 1280, height: 800 } })
    await signIn(page, studio.url)
    return await work(page, studio)
  } finally {
    await browser?.close()
    await studio.stop()
  }
}

/** Longest time between two frames since `watch` was called, in milliseconds. */
async function watchFrames(page: Page): Promise<() => Promise<number>> {
  await page.evaluate(() => {
    const watched = { longest: 0, last: performance.now() }
    Object.assign(window, { watched })
    const look = (now: number): void => {
      watched.longest = Math.max(watched.longest, now - watched.last)
      watched.last = now
      requestAnimationFrame(look)
    }
    requestAnimationFrame(look)
  })
  return () => page.evaluate(() => (window as unknown as { watched: { longest: number } }).watched.longest)
}

/** A rule changed on a site of 100,000 placements: how long until what it would change is shown, against the second it may take. */
export const impact = (): Promise<Row> =>
  onScreen(sized(100_000), async (page, { url }) => {
    await page.goto(`${url}/rules`)
    await page.getByRole('button', { name: 'New rule' }).click()
    await page.locator('[data-looking=false]').waitFor({ timeout: 60_000 })
    const longest = await watchFrames(page)
    const times: number[] = []
    for (let round = 0; round < ROUNDS; round++) {
      for (const told of ['we do not vouch (nofollow)', 'it is paid (sponsored nofollow)']) {
        const startedAt = performance.now()
        await page.getByLabel('and search engines are told').selectOption(told)
        await page
          .locator('[data-looking=true]')
          .waitFor({ timeout: 2_000 })
          .catch(() => {})
        await page.locator('[data-looking=false]').waitFor({ timeout: 60_000 })
        times.push(performance.now() - startedAt)
      }
    }
    return {
      name: 'impact',
      ours: median(times),
      peer: 1_000,
      unit: 'ms',
      goal: 1,
      isAtMost: true,
      note: `longest pause of the screen ${Math.round(await longest())} ms`,
    }
  })

/** A list of 50,000 placements: its first rows against all of them, scrolled through without a blank row. */
export const list = (): Promise<Row> =>
  onScreen(sized(50_000), async (page, { url }) => {
    const first: number[] = []
    const all: number[] = []
    let blanks = 0
    for (let round = 0; round < ROUNDS; round++) {
      const startedAt = performance.now()
      await page.goto(`${url}/links`, { waitUntil: 'commit' })
      await page.locator('[data-at="0"]').waitFor({ timeout: 60_000 })
      first.push(performance.now() - startedAt)
      await page.waitForFunction(
        () => /^5\d{4} on \d+ pages$/.test(document.querySelector('[data-testid=count]')?.textContent ?? ''),
        undefined,
        { timeout: 60_000 },
      )
      all.push(performance.now() - startedAt)
      blanks += await page.evaluate(async () => {
        const place = document.querySelector('[data-rows]')
        if (place === null) return 1
        let found = 0
        const step = (place.scrollHeight - place.clientHeight) / 120
        for (let i = 0; i <= 120; i++) {
          place.scrollTop = i * step
          // What is seen in the frame that follows is what counts.
          await new Promise((resolve) => requestAnimationFrame(() => setTimeout(resolve)))
          const { top, bottom, left } = place.getBoundingClientRect()
          for (let y = top + 25; y < bottom; y += 50) {
            const row = document.elementFromPoint(left + 300, y)?.closest('[data-at]')
            if ((row?.textContent ?? '').trim() === '') found++
          }
        }
        return found
      })
    }
    return {
      name: 'list',
      ours: blanks === 0 ? median(first) : Number.POSITIVE_INFINITY,
      peer: median(all),
      unit: 'ms',
      goal: 1,
      isAtMost: true,
      note: `${blanks} blank rows in ${ROUNDS * 121} looks`,
    }
  })
