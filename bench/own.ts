import { randomBytes } from 'node:crypto'
import { mkdtempSync, rmSync } from 'node:fs'
import { tmpdir } from 'node:os'
import path from 'node:path'
import pg from 'pg'

/** A database and a data folder of one benchmark's own. */
export interface Own {
  readonly databaseUrl: string
  readonly folder: string
  drop(): Promise<void>
}

export async function makeOwn(): Promise<Own> {
  const base = process.env.MAPROPE_BENCH_DATABASE_URL
  if (base === undefined) throw new Error('Run it with: npm run bench')
  const name = `bench_${randomBytes(4).toString('hex')}`
  const admin = new pg.Client({ connectionString: base })
  await admin.connect()
  await admin.query(`CREATE DATABASE ${name}`)
  const folder = mkdtempSync(path.join(tmpdir(), 'map-rope-bench-'))
  return {
    databaseUrl: base.replace(/\/[^/]*$/, `/${name}`),
    folder,
    async drop() {
      await admin.query(`DROP DATABASE ${name} WITH (FORCE)`)
      await admin.end()
      rmSync(folder, { recursive: true, force: true })
    },
  }
}
