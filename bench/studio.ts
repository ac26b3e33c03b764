import { fork, spawnSync } from 'node:child_process'
import { readFileSync } from 'node:fs'
import path from 'node:path'
import pg from 'pg'
import type { Page } from 'playwright-core'
import { freePort } from '../bin/postgres.mjs'
import { makeOwn } from './own.ts'

/** A running copy with the demo, on a database of its own. */
export interface Studio {
  readonly url: string
  readonly port: number
  readonly token: string
  readonly databaseUrl: string
  stop(): Promise<void>
}

export async function openStudio(): Promise<Studio> {
  const { databaseUrl, folder, drop } = await makeOwn()
  const port = await freePort()
  const environment = {
    ...process.env,
    PORT: String(port),
    MAPROPE_DATA: folder,
    MAPROPE_DATABASE_URL: databaseUrl,
    MAPROPE_SECRET: 'a secret for the bench only',
    MAPROPE_LOG: 'error',
  }
  if (spawnSync(process.execPath, ['dist/setup.mjs'], { env: environment, stdio: 'inherit' }).status !== 0)
    throw new Error('The set-up failed')
  const server = fork('dist/server.mjs', [], { env: environment, execArgv: [], stdio: ['ignore', 'inherit', 'inherit', 'ipc'] })
  await new Promise((resolve) => server.once('message', resolve))
  return {
    url: `http://localhost:${port}`,
    port,
    token: readFileSync(path.join(folder, 'demo-token'), 'utf8').trim(),
    databaseUrl,
    async stop() {
      await new Promise((resolve) => server.once('exit', resolve).kill('SIGTERM'))
      await drop()
    },
  }
}

export async function signIn(page: Page, url: string): Promise<void> {
  await page.goto(`${url}/sign-in`)
  await page.getByLabel('E-mail address').fill('mara@slow-ferry.example')
  await page.getByLabel('Password').fill('ten-past-seven')
  await page.getByRole('button', { name: 'Sign in' }).click()
  await page.waitForURL(`${url}/`)
}

/** Fills the site with so many placements, a hundred a page, that lead to shops, other sites and pages of ours. */
export async function fillPlacements({ databaseUrl }: Studio, count: number): Promise<void> {
  const client = new pg.Client({ connectionString: databaseUrl })
  await client.connect()
  await client.query(
    `WITH model AS (SELECT site_id, draft_hash, encoding FROM pages WHERE kind = 'page' LIMIT 1),
       made AS (INSERT INTO pages (site_id, path, source_name, title, encoding, draft_hash, live_hash, words)
         SELECT site_id, '/many/' || lpad(n::text, 6, '0') || '.html', '', 'Crossing ' || n, encoding, draft_hash, draft_hash, 1500 FROM model, generate_series(1, $1::int / 100) n RETURNING id, path)
     INSERT INTO placements (page_id, ordinal, start_at, end_at, tag, shown_text, href, shows, paragraph)
       SELECT id, k, k * 200, k * 200 + 80, '<a href="' || href || '">', 'words ' || k, href, 'text', k / 4 FROM made, generate_series(0, 99) k,
         LATERAL (SELECT CASE k % 5 WHEN 0 THEN 'http://gannet-line.localhost/things/' || (k * 7 + length(path)) WHEN 1 THEN 'https://shop-' || k || '.example/x?p=' || k
           WHEN 2 THEN '/islands/skarrow.html' WHEN 3 THEN '../about.html#s' || k ELSE 'https://tides.example/' || k END AS href) h`,
    [count],
  )
  await client.end()
}
