import assert from 'node:assert/strict'
import { readdirSync, readFileSync } from 'node:fs'
import path from 'node:path'
import { test } from 'node:test'

const src = path.resolve(import.meta.dirname, '../../src')

/** Floors from the top down; imports only go down. */
const FLOORS = [
  'entries',
  'studio',
  'pages',
  'islands',
  'ui',
  'delivery',
  'jobs',
  'services',
  'data',
  'outside',
  'apart',
  'edge',
  'contract',
  'settings',
  'core',
  'words',
] as const
type Floor = (typeof FLOORS)[number]

interface Import {
  readonly from: string
  readonly to: string
  readonly isType: boolean
}

const files = readdirSync(src, { recursive: true })
  .map(String)
  .filter((file) => /\.(?:ts|tsx|astro)$/.test(file) && !file.endsWith('.d.ts'))

const imports: Import[] = files.flatMap((file) =>
  [
    ...readFileSync(path.join(src, file), 'utf8').matchAll(
      /^(?:import|export)\s+(type\s)?[^'"]*?from\s+['"]([^'"]+)['"]|^import\s+['"]([^'"]+)['"]/gm,
    ),
  ].map((found) => ({
    from: file,
    to: found[2] ?? found[3] ?? '',
    isType: found[1] !== undefined,
  })),
)

const floorOf = (file: string): Floor | null => FLOORS.find((floor) => file.startsWith(`${floor}${path.sep}`)) ?? null
const targetOf = ({ from, to }: Import): string | null =>
  to.startsWith('.') ? path.relative(src, path.resolve(src, path.dirname(from), to)) : null

/** What a floor may reach besides the floors below it, and what it may not although it lies below. */
function isAllowed(from: Floor, to: Floor, isType: boolean): boolean {
  if (from === to) return true
  if (to === 'words') return true
  if (from === 'ui') return to === 'contract' || to === 'core'
  if (from === 'islands') return to === 'ui' || to === 'contract' || to === 'core'
  if (from === 'delivery') return ['data', 'outside', 'apart', 'edge', 'contract', 'settings', 'core'].includes(to)
  if (from === 'pages') return to === 'islands' || to === 'ui' || to === 'contract' || to === 'core' || (to === 'services' && isType)
  return FLOORS.indexOf(to) > FLOORS.indexOf(from)
}

test('imports only go down', () => {
  const up = imports.filter((each) => {
    const from = floorOf(each.from)
    const target = targetOf(each)
    const to = target === null ? null : floorOf(target)
    return from !== null && to !== null && !isAllowed(from, to, each.isType)
  })
  assert.deepEqual(
    up.map(({ from, to }) => `${from} → ${to}`),
    [],
  )
  assert.ok(imports.length > 200, 'the imports were found at all')
})

test('core and contract know no framework, no database, and nothing that only Node has', () => {
  const foreign = imports.filter(
    ({ from, to }) => (from.startsWith('core') || from.startsWith('contract')) && /^(?:node:|astro|react|sequelize|pg|pino)/.test(to),
  )
  assert.deepEqual(foreign, [])
})

test('core reads no clock, no chance and no environment', () => {
  const users = files.filter(
    (file) =>
      file.startsWith('core') &&
      /\bDate\.now\(|new Date\(\)|Math\.random\(|\bprocess\.|\bfetch\(/.test(readFileSync(path.join(src, file), 'utf8')),
  )
  assert.deepEqual(users, [])
})

test('islands reach the server only through the API', () => {
  const users = files.filter((file) => file.startsWith('islands') && /\bfetch\(/.test(readFileSync(path.join(src, file), 'utf8')))
  assert.deepEqual(users, [])
})

test('folders of core and services are entered by their door, and folders within them only from around them', () => {
  const behind = imports.filter((each) => {
    const target = targetOf(each)
    if (target === null || !/^(?:core|services)\/[a-z-]+\//.test(target)) return false
    const folder = path.dirname(target)
    if (folder === path.dirname(each.from)) return false
    const isDoor = path.basename(target) === 'index.ts'
    const isOuter = /^(?:core|services)$/.test(path.dirname(folder))
    return !isDoor || !(isOuter || each.from.startsWith(`${path.dirname(folder)}/`))
  })
  assert.deepEqual(behind, [])
})

test('no module is imported in a circle, not even for its types', () => {
  const graph = new Map<string, string[]>()
  for (const each of imports) {
    const target = targetOf(each)
    if (target !== null) graph.set(each.from, [...(graph.get(each.from) ?? []), target])
  }
  const done = new Set<string>()
  const walk = (file: string, trail: readonly string[]): void => {
    assert.ok(!trail.includes(file), [...trail, file].join(' → '))
    if (done.has(file)) return
    for (const next of graph.get(file) ?? []) walk(next, [...trail, file])
    done.add(file)
  }
  for (const file of graph.keys()) walk(file, [])
})

test('nothing stands loose at the top but the one line that Astro looks for there', () => {
  assert.deepEqual(
    files.filter((file) => !file.includes(path.sep)),
    ['middleware.ts'],
  )
  assert.equal(readFileSync(path.join(src, 'middleware.ts'), 'utf8').trim().split('\n').length, 1)
})

test('only the data floor knows SQL, and the libraries that speak it', () => {
  const sql = /\b(?:SELECT|DELETE) .*\bFROM\b|\bINSERT INTO\b|\bUPDATE \w+ SET\b|\bLISTEN \$|\.sequelize\b/
  const users = files.filter((file) => {
    if (floorOf(file) === 'data') return false
    const text = readFileSync(path.join(src, file), 'utf8')
    return (
      sql.test(text) ||
      text.includes('data/plain.ts') ||
      imports.some(({ from, to }) => from === file && /^(?:pg|sequelize|umzug|pg-copy-streams)$/.test(to))
    )
  })
  assert.deepEqual(users, [])
})

test('plain reads and writes of rows go through the models: no SQL by hand says what they say', () => {
  const value = String.raw`(?:\$\d+(?:::[\w[\]]+)?|ANY\(\$\d+(?:::[\w[\]]+)?\)|true|false|'\w+')`
  const each = String.raw`\w+ (?:= ${value}|IS (?:NOT )?NULL)`
  const where = `(?: WHERE ${each}(?: AND ${each})*)?`
  const plain = [
    `SELECT [\\w", ]+ FROM \\w+${where}(?: ORDER BY [\\w, ]+)?(?: LIMIT \\S+)?(?: FOR UPDATE)?`,
    `DELETE FROM \\w+${where}(?: RETURNING [\\w ]+)?`,
    `UPDATE \\w+ SET (?:\\w+ = (?:${value}|NULL|now\\(\\)|version \\+ 1)(?:, )?)+${where}`,
    `INSERT INTO \\w+ \\([\\w, ]+\\) VALUES \\([$\\d:\\w, ']+\\)(?: RETURNING [\\w ]+)?`,
  ].map((shape) => new RegExp(`^${shape}$`))
  // Umzug's own list of what has run; and a loader's connection, on which COPY goes as well.
  const exempt = new Set(['data/database.ts', 'data/clicks.ts'])
  const found = files.flatMap((file) => {
    if (floorOf(file) !== 'data' || file.includes('migrations') || exempt.has(file)) return []
    const text = readFileSync(path.join(src, file), 'utf8')
    const queries = [...text.matchAll(/(['"`])((?:SELECT|DELETE|UPDATE|INSERT)\b[^'"`]*)\1/g)].map((query) =>
      (query[2] ?? '').replace(/\s+/g, ' ').trim(),
    )
    return queries.filter((query) => plain.some((shape) => shape.test(query))).map((query) => `${file}: ${query}`)
  })
  assert.deepEqual(found, [])
})

test('addresses outside are asked in one place; the front door passes on what it is asked', () => {
  const askers = files.filter((file) => {
    // The studio hands on to its own thread.
    if (/^(?:outside|ui|studio)\/|^delivery\/front-door\//.test(file)) return false
    return /\b(?:https?|net|tls)\.(?:request|get|connect)\(/.test(readFileSync(path.join(src, file), 'utf8'))
  })
  assert.deepEqual(askers, [])
})

/** What a service looks at besides: of which parts somebody is shown, and what one call asks for in one case and not in another. */
const ASKED_BESIDE = new Set([
  'changes.ts',
  'checks/checks.ts',
  'destinations.ts',
  'exports.ts',
  'files.ts',
  'inside.ts',
  'jobs/jobs.ts',
  'pages/moves.ts',
  'pages/pages.ts',
  'partners/links.ts',
  'people/tokens.ts',
  'placements/shown.ts',
  'redirects/old-addresses.ts',
  'rules.ts',
  'short-links/results.ts',
  'steps.ts',
])

test('what a call needs is said by its operation alone: its service asks that', () => {
  const beside = files
    .filter((file) => file.startsWith('services/') && /\bactor\.can\(/.test(readFileSync(path.join(src, file), 'utf8')))
    .map((file) => file.slice('services/'.length))
  assert.deepEqual(
    beside.filter((file) => !ASKED_BESIDE.has(file)),
    [],
  )
})
