import assert from 'node:assert/strict'
import { before, test } from 'node:test'
import { gzipSync } from 'node:zlib'
import { unzipSync } from 'fflate'
import pino from 'pino'
import { RedirectsBulkReport } from '../../src/contract/redirect-lists.ts'
import { RedirectUndoReport } from '../../src/contract/redirect-steps.ts'
import { RehearsalReport, ReplayReport } from '../../src/contract/redirect-trials.ts'
import { RedirectQuery, type RedirectRow } from '../../src/contract/redirects.ts'
import { neededText, PATTERNS_BY_ONE_TEXT_MAX, ROWS_AT_ONE_PATH_MAX } from '../../src/core/routing/index.ts'
import { rows } from '../../src/data/database.ts'
import { selectOne } from '../../src/data/plain.ts'
import { redirects } from '../../src/data/tables/index.ts'
import { runRedirects } from '../../src/jobs/redirect-lists.ts'
import { runRehearsal, runReplay } from '../../src/jobs/redirect-trials.ts'
import { runRedirectUndo } from '../../src/jobs/steps.ts'
import { type InWords, inWords } from '../../src/words/index.ts'
import { bringIn, makeWorld, must, text, type World, zipOf } from './world.ts'

let world: World
const log = pino({ level: 'silent' })
before(async () => {
  world = await makeWorld()
  await bringIn(
    world,
    zipOf({
      'index.html': '<title>Front</title>',
      'timetables.html': '<title>Timetables</title>',
      'rooms-by-the-quay.html': '<title>Rooms by the quay</title>',
      'islands/great-mew.html': '<title>Great Mew</title><p>puffins lighthouse causeway granite puffins</p>',
    }),
  )
  must(await world.services.publications.create(world.owner, { all: true }))
})

type As = 'csv' | 'json' | 'httpd' | 'nginx'
async function take(
  list: string,
  { as = 'csv', dryRun = false }: { as?: As; dryRun?: boolean } = {},
): Promise<InWords<RedirectsBulkReport>> {
  const { db, services, editor } = world
  const job = must(await services.redirectLists.start(editor, text(list), { as, dryRun }))
  await runRedirects(db, services.redirectLists, job, log)
  const { state, report, message } = must(await services.jobs.get(editor, job))
  assert.equal(state, 'done', message ?? '')
  return inWords(RedirectsBulkReport.parse(report))
}
async function undo(step: string): Promise<RedirectUndoReport> {
  const { db, services, editor } = world
  const job = must(await services.redirectSteps.undo(editor, step))
  await runRedirectUndo(db, services.redirectSteps, job, log)
  const { state, report, message } = must(await services.jobs.get(editor, job))
  assert.equal(state, 'done', message ?? '')
  return RedirectUndoReport.parse(report)
}
const table = async (query: Partial<RedirectQuery> = {}): Promise<RedirectRow[]> =>
  must(await world.services.redirects.list(world.editor, { ...RedirectQuery.parse({ limit: 200 }), ...query })).items
const empty = async (): Promise<void> => {
  const items = (await table()).map(({ id }) => ({ do: 'remove' as const, id }))
  if (items.length > 0) must(await world.services.redirectSteps.create(world.editor, { what: 'All gone', items }))
}
const counts = ({ new: made, changed, same, refused }: RedirectsBulkReport) => [made, changed, same, refused]

test('two pasted columns are looked at first, taken in one step, and taken back in one', async () => {
  const pasted = [
    'http://site.localhost/old/timetable.htm\t/timetables.html',
    'rooms-by-quay\trooms-by-the-quay.html',
    '/here/with,comma\thttps://elsewhere.example/a,b',
    '/round-a\t/round-b',
    '/round-b\t/round-a',
    '/nowhere\t',
    '/timetables.html\t/islands/great-mew.html',
    '/chain\t/rooms-by-quay',
    '/dead\t/there-is-none',
    '/gone\t\t410',
  ].join('\n')
  const looked = await take(pasted, { dryRun: true })
  assert.deepEqual([looked.isDryRun, looked.step, ...counts(looked)], [true, null, 8, 0, 0, 2])
  assert.deepEqual(await table(), [])
  const noteOf = (line: number) => looked.items.find((item) => item.line === line)?.reason ?? ''
  assert.match(noteOf(5), /round-b → \/round-a → \/round-b/, 'the loop is drawn')
  assert.match(noteOf(6), /no new address/)
  assert.match(noteOf(7), /A page is published there/)
  assert.match(noteOf(8), /leads on: \/chain → \/rooms-by-quay → \/rooms-by-the-quay\.html/)
  assert.match(noteOf(9), /no page at \/there-is-none/)
  const done = await take(pasted)
  assert.deepEqual(counts(done), [8, 0, 0, 2])
  const rows = await table()
  assert.deepEqual(
    rows.map(({ from, to, status, hosts }) => [from, to, status, hosts]),
    [
      ['/old/timetable.htm', '/timetables.html', 301, ['site.localhost']],
      ['/rooms-by-quay', '/rooms-by-the-quay.html', 301, []],
      ['/here/with,comma', 'https://elsewhere.example/a,b', 301, []],
      ['/round-a', '/round-b', 301, []],
      ['/timetables.html', '/islands/great-mew.html', 301, []],
      ['/chain', '/rooms-by-quay', 301, []],
      ['/dead', '/there-is-none', 301, []],
      ['/gone', '', 410, []],
    ],
  )
  assert.deepEqual(counts(await take(pasted)), [0, 0, 8, 2], 'the same list once more')
  const next = await take('old address;new address\n/dead;/timetables.html\n/fresh;/timetables.html\n')
  assert.deepEqual(counts(next), [1, 1, 0, 0])
  assert.match(next.items.find(({ line }) => line === 2)?.reason ?? '', /It was 301 to \/there-is-none/)
  // One of its rows is changed by hand meanwhile: that stays.
  const fresh = (await table()).find(({ from }) => from === '/fresh')
  must(await world.services.redirects.change(world.editor, fresh?.id ?? '', { version: fresh?.version ?? 0, note: 'mine' }))
  assert.deepEqual(await undo(next.step ?? ''), { givenBack: 1, changedSince: 1 })
  assert.deepEqual(
    (await table()).filter(({ from }) => from === '/dead' || from === '/fresh').map(({ from, to, note }) => [from, to, note]),
    [
      ['/dead', '/there-is-none', ''],
      ['/fresh', '/timetables.html', 'mine'],
    ],
  )
  assert.deepEqual(
    await undo(done.step ?? ''),
    { givenBack: 7, changedSince: 1 },
    'the row that the second step had changed and given back is of another version',
  )
  const steps = must(await world.services.redirectSteps.list(world.editor)).items
  assert.deepEqual(
    steps.map(({ what, rows, isUndone }) => [what, rows, isUndone]),
    [
      ['Taken back', 7, false],
      ['Taken back', 1, false],
      ['A list', 2, true],
      ['A list', 8, true],
    ],
  )
  await empty()
})

test('what goes out as CSV and as JSON comes in again as the same rows', async () => {
  const { services, editor, owner } = world
  for (const row of [
    { from: '/a', to: '/timetables.html', note: 'with "quotes", a comma\tand a tab', hosts: ['site.localhost'] },
    { from: '/b/:name', to: '/timetables.html?n=$name', match: 'pattern', status: 302, query: 'merge' },
    { from: '^/c/(\\d+)$', to: 'https://elsewhere.example/$1', match: 'expression', isOn: false },
    {
      from: '/d',
      to: '/',
      match: 'under',
      when: { languages: ['de'], devices: ['phone'], from: '2026-01-01T00:00:00.000Z', noOtherQuery: true },
    },
    { from: '/e', status: 451, beatsPages: true, when: { query: [{ name: 'x', value: null }] } },
    { from: '/f', to: '/timetables.html', isHidden: false },
  ] as const)
    must(await services.redirects.create(editor, structuredClone(row) as never))
  const plain = (rows: RedirectRow[]) => rows.map(({ id: _, version: __, createdAt: ___, ...row }) => row)
  const before = plain(await table())
  for (const as of ['csv', 'json'] as const) {
    const { text: out, next } = must(await services.redirectLists.download(owner, as, null))
    assert.equal(next, null)
    assert.deepEqual(counts(await take(out, { as })), [0, 0, 6, 0], `${as} on top of what is there`)
    await empty()
    assert.deepEqual(counts(await take(out, { as })), [6, 0, 0, 0])
    assert.deepEqual(plain(await table()), before)
  }
  // What a list does not say stays as it is.
  assert.deepEqual(counts(await take('from,to\n/f,/timetables.html\n')), [0, 0, 1, 0])
  assert.equal((await table()).find(({ from }) => from === '/f')?.isHidden, false)
  await empty()
})

test('what a row said long ago is given back, however often it was changed since', async () => {
  const { services, editor } = world
  let row = must(await services.redirects.create(editor, { from: '/often', to: '/first' } as never))
  for (let n = 0; n < 105; n++) row = must(await services.redirects.change(editor, row.id, { version: row.version, to: `/then-${n}` }))
  const back = must(await services.redirects.restore(editor, row.id, { version: row.version, of: 1 }))
  assert.equal(back.to, '/first')
  const none = await services.redirects.restore(editor, row.id, { version: back.version, of: 999 })
  assert.equal(none.ok ? '' : none.fault, 'not-found')
  await empty()
})

test('a configuration comes in by its redirect lines; what cannot be said is listed by line', async () => {
  const report = await take(
    'Redirect 301 /old /timetables.html\nRewriteRule ^/x$ /y [P]\nServerName other.example\nRedirectMatch 301 (a)\\1 /z\nRewriteEngine On\n',
    { as: 'httpd' },
  )
  assert.deepEqual(counts(report), [1, 0, 0, 2])
  assert.deepEqual(
    report.items.filter(({ outcome }) => outcome === 'refused').map(({ line }) => line),
    [2, 4],
  )
  assert.deepEqual(counts(await take('server { return 301 /x', { as: 'nginx' })), [0, 0, 0, 1])
  await empty()
})

test('a list says what each row will answer with, wherever its status stands, and which line only names the columns', async () => {
  const rowsOf = async (list: string) =>
    (await take(list, { dryRun: true })).items.map(({ line, from, to, status, outcome }) => [line, from, to, status, outcome])
  assert.deepEqual(await rowsOf('alt,neu,Kode\n/alt-eins,/timetables.html,302\n/alt-zwei,,410\n/alt-drei,/timetables.html,999'), [
    [1, 'alt,neu,Kode', '', null, 'refused'],
    [2, '/alt-eins', '/timetables.html', 302, 'new'],
    [3, '/alt-zwei', '', 410, 'new'],
    [4, '/alt-drei', '/timetables.html', null, 'refused'],
  ])
  assert.deepEqual(await rowsOf('/left 410\n/right 999'), [
    [1, '/left', '', 410, 'new'],
    [2, '/right', '', null, 'refused'],
  ])
  assert.deepEqual(await rowsOf('from,to,Kode\n/named,/timetables.html,308 Permanent'), [[2, '/named', '/timetables.html', 308, 'new']])
  assert.deepEqual((await rowsOf('alt neu\nnicht da')).length, 2, 'words alone may be paths')
})

test('a list tells what a row for everything hides: of the table, and of its own rows', async () => {
  must(await world.services.redirects.create(world.editor, { from: '/isles/:isle', match: 'pattern', to: '/islands/great-mew.html' }))
  const { items } = await take('from,to,match\n/w/:walk,/timetables.html,pattern\n/,/rooms-by-the-quay.html,under', { dryRun: true })
  const said = items.find(({ line }) => line === 3)?.reason ?? ''
  assert.match(said, /2 rows are never reached for it: .*\/isles\/:isle/)
  assert.match(said, /\/w\/:walk/)
  assert.match(said, /robots\.txt/)
  await empty()
})

test('of several rows for one address a list changes the one that answers', async () => {
  const make = async (to: string, isOn: boolean) => {
    const { id } = must(await world.services.redirects.create(world.editor, { from: '/twice', to, isOn, evenSo: true }))
    return id
  }
  const off = await make('/timetables.html', false)
  const on = await make('/rooms-by-the-quay.html', true)
  const late = await make('/index.html', true)
  assert.deepEqual(counts(await take('/twice,/islands/great-mew.html')), [0, 1, 0, 0])
  const now = new Map((await table()).map(({ id, to }) => [id, to]))
  assert.deepEqual(
    [off, on, late].map((id) => now.get(id)),
    ['/timetables.html', '/islands/great-mew.html', '/index.html'],
  )
  await empty()
})

test('a file that is no table, and lists that are none, are refused with a reason', async () => {
  const { db, services, editor } = world
  for (const [bytes, as, said] of [
    [new Uint8Array([0x50, 0x4b, 3, 4, 0, 0, 0]), 'csv', /no list/],
    [text('{"from": 1}'), 'json', /list of rows/],
    [text('nonsense'), 'json', /no JSON/],
  ] as const) {
    const job = must(await services.redirectLists.start(editor, bytes, { as, dryRun: true }))
    await runRedirects(db, services.redirectLists, job, log)
    const { state, message } = must(await services.jobs.get(editor, job))
    assert.equal(state, 'failed')
    assert.match(message ?? '', said)
  }
})

test('the review finds what is wrong; its mends are shown first, carried out as one, and taken back as one', async () => {
  const { services, editor } = world
  const { redirectReview } = services
  const make = (from: string, to: string, more: object = {}) => services.redirects.create(editor, { from, to, ...more } as never)
  must(await make('/one', '/two'))
  must(await make('/two', '/timetables.html'))
  must(await make('/loop-a', '/elsewhere'))
  must(await make('/loop-b', '/loop-a'))
  must(await make('/dead', '/room-by-the-quay.html'))
  must(await make('/timetables.html', '/dead'))
  must(await make('/open', 'http://other.example/x'))
  must(await make('/all', '/', { match: 'under', to: '/timetables.html' }))
  must(await make('/all/:x', '/timetables.html', { match: 'pattern' }))
  const refused = await make('/elsewhere', '/loop-b')
  assert.deepEqual([refused.ok, refused.ok ? '' : refused.fault], [false, 'redirect-goes-round'])
  const { counts: found, items } = must(await redirectReview.look(editor, { cursor: 0 }))
  assert.deepEqual(
    items.map(({ kind, row, mend, suggestion }) => [kind, row.from, mend, suggestion]),
    [
      ['chain', '/one', { to: '/timetables.html' }, null],
      ['dead', '/loop-a', null, null],
      ['chain', '/loop-b', null, null],
      ['dead', '/dead', null, '/rooms-by-the-quay.html'],
      ['over-page', '/timetables.html', { isOn: false }, null],
      ['insecure', '/open', { to: 'https://other.example/x' }, null],
      ['shadowed', '/all/:x', { isOn: false }, null],
    ],
  )
  assert.equal(found.length, 5)
  const looked = must(await redirectReview.mend(editor, { dryRun: true }))
  assert.deepEqual([looked.step, looked.changed, looked.items.length], [null, 4, 4])
  const done = must(await redirectReview.mend(editor, {}))
  assert.deepEqual([done.changed, done.refused], [4, []])
  assert.deepEqual(
    must(await redirectReview.look(editor, { cursor: 0 })).counts.map(({ kind, rows }) => [kind, rows]),
    [
      ['chain', 1],
      ['dead', 2],
    ],
  )
  assert.deepEqual(await undo(done.step ?? ''), { givenBack: 4, changedSince: 0 })
  assert.equal(must(await redirectReview.look(editor, { cursor: 0 })).total, 7)
  await empty()
})

test('of rows made together one that is there already, or leads in a circle with another, is refused, and the others are made', async () => {
  const make = (from: string, to: string) => ({ do: 'make' as const, row: { from, to } })
  const done = must(
    await world.services.redirectSteps.create(world.editor, {
      what: 'Some',
      items: [make('/p', '/q'), make('/q', '/p'), make('/r', '/timetables.html'), make('/R/', '/index.html'), make('/s', 'mailto:x')],
    }),
  )
  assert.deepEqual([done.made, done.refused.map(({ index }) => index)], [2, [1, 3, 4]])
  await empty()
})

test('rows are held against those that are still being written, and searching and planning know of them at the end', async () => {
  await empty()
  const { db, editor } = world
  const split = <T>(all: readonly T[]): [T[], T[]] => [all.slice(0, 10), all.slice(10)]
  const [firstAtPath, restAtPath] = split(
    Array.from({ length: ROWS_AT_ONE_PATH_MAX + 1 }, (_, n) => `/room?k=${n},https://room.example/,exact`),
  )
  const [firstByText, restByText] = split(
    Array.from({ length: PATTERNS_BY_ONE_TEXT_MAX + 1 }, (_, n) => `/fullroom/:p${n},https://room.example/,pattern`),
  )
  const first = [...firstAtPath, ...firstByText, '/circle/a,/circle/b,exact', '/twice,/here.html,exact']
  const fill = Array.from({ length: 1_000 - first.length }, (_, n) => `/fill/${n}/and-some-more-of-it,https://far.example/${n},exact`)
  const second = [...restAtPath, ...restByText, '/circle/b,/circle/a,exact', '/twice,/other.html,exact']
  const more = Array.from({ length: 2_000 }, (_, n) => `/more/${n}/and-some-more-of-it,https://far.example/more/${n},exact`)
  const filled = await take(['from,to,match', ...fill].join('\n'))
  const list = ['from,to,match', ...fill, ...first, ...second, ...more].join('\n')
  const tried = await take(list, { dryRun: true })
  const report = await take(list)
  assert.deepEqual(counts(tried), counts(report), 'a trial run promises what comes of it')
  const refused = report.items.filter(({ outcome }) => outcome === 'refused').map(({ from, reason }) => `${from}: ${reason}`)
  assert.equal(refused.length, 4, refused.join('\n'))
  assert.match(refused[0] ?? '', /^\/room\?k=500: .* There are \d+ rows for \/room/)
  assert.match(refused[1] ?? '', /^\/fullroom.* There are \d+ patterns/)
  assert.match(refused[2] ?? '', /^\/circle\/b: .*\/circle\/a/)
  assert.match(refused[3] ?? '', /^\/twice: Line 1001 is for the same address/)
  assert.deepEqual(counts(report), [first.length + second.length + more.length - 4, 0, fill.length, 4])
  const found = must(await world.services.redirects.list(editor, RedirectQuery.parse({ search: 'more/1999', limit: 5 })))
  assert.deepEqual(
    found.items.map(({ from }) => from),
    ['/more/1999/and-some-more-of-it'],
  )
  const [planned] = await rows<{ rows: number }>(db, `SELECT reltuples::int AS rows FROM pg_class WHERE oid = 'redirects'::regclass`)
  assert.ok((planned?.rows ?? 0) >= report.new, `the planner believes in ${planned?.rows} rows`)
  for (const { step } of [report, filled]) await undo(step ?? '')
})

test('a lost address gets the pages that may be meant, best first', async () => {
  const { items } = must(
    await world.services.redirectReview.suggest(world.editor, {
      from: ['/rooms-by-quay', '/timetabels', 'http://site.localhost/Great_Mew.php', '/zzz'],
    }),
  )
  assert.deepEqual(
    items.map(({ from, suggestions }) => [from, suggestions[0]?.to]),
    [
      ['/rooms-by-quay', '/rooms-by-the-quay.html'],
      ['/timetabels', '/timetables.html'],
      ['http://site.localhost/Great_Mew.php', '/islands/great-mew.html'],
      ['/zzz', undefined],
    ],
  )
})

test('rows that lead to a page are among what it is found by, as long as they do', async () => {
  const best = async (from: string) =>
    must(await world.services.redirectReview.suggest(world.editor, { from: [from] })).items[0]?.suggestions[0]?.to
  assert.equal(await best('/puffinery-of-oldd'), undefined)
  const row = must(await world.services.redirects.create(world.editor, { from: '/puffinery-of-old', to: '/islands/great-mew.html' }))
  assert.equal(await best('/puffinery-of-oldd'), '/islands/great-mew.html')
  must(await world.services.redirects.remove(world.editor, row.id))
  assert.equal(await best('/puffinery-of-oldd'), undefined)
})

const line = (target: string, who = 1) => `10.0.0.${who} - - [26/Nov/2026:10:00:00 +0000] "GET ${target} HTTP/1.1" 404 12 "-" "Firefox"`

test('an access log is run through the table as it is, and as it is to be; broken lines are counted', async () => {
  const { db, services, editor } = world
  const make = async (from: string, isOn: boolean) => must(await services.redirects.create(editor, { from, to: '/timetables.html', isOn }))
  await make('/live', true)
  await make('/draft', false)
  const lines = [
    line('/live'),
    line('/live?x=1', 2),
    line('/timetables.html'),
    line('/draft', 3),
    line('/missed'),
    line('/tried'),
    line('/.env'),
    'nonsense',
    line('/%zz\u0001'),
  ]
  for (const bytes of [Buffer.from(lines.join('\n')), gzipSync(lines.join('\r\n'))]) {
    const job = must(
      await services.redirectTrials.startReplay(editor, bytes, () => ({ rows: JSON.stringify([{ from: '/tried', to: '/' }]) })),
    )
    await runReplay(db, services.redirectTrials, job, log)
    const report = ReplayReport.parse(must(await services.jobs.get(editor, job)).report)
    assert.deepEqual(
      [report.lines, report.broken, report.answered, report.missed, report.changed, report.noise, report.tried],
      [9, 1, 5, 3, 2, 1, 2],
    )
    assert.deepEqual(report.visitors, { answered: 3, missed: 1, changed: 2 })
    assert.deepEqual(report.examples.changed.map(({ path, now, after }) => [path, now, after]).sort(), [
      ['/draft', '', '301 http://site.localhost:4999/timetables.html'],
      ['/tried', '', '301 http://site.localhost:4999/'],
    ])
    assert.deepEqual(report.examples.missed.map(({ path }) => path).sort(), ['/%zz\u0001', '/missed'])
  }
  const job = must(await services.redirectTrials.startReplay(editor, Buffer.from('a\nb\n'), () => ({})))
  await runReplay(db, services.redirectTrials, job, log)
  assert.match(must(await services.jobs.get(editor, job)).message ?? '', /no access log/)
  assert.deepEqual(await rows(db, 'SELECT id FROM uploads'), [], 'what was sent goes with its job, however that ends')
  await empty()
})

test('a log is replayed as delivery answers: index files, escapes and empty lines; and another format is named', async () => {
  const { db, services, editor } = world
  const replayed = async (log_: string) => {
    const job = must(await services.redirectTrials.startReplay(editor, Buffer.from(log_), () => ({})))
    await runReplay(db, services.redirectTrials, job, log)
    return must(await services.jobs.get(editor, job))
  }
  await take('/caf\u00e9-old,/timetables.html')
  const lines = [line('/index.html'), line('/index.htm?x=1'), '', line('/caf\\xc3\\xa9-old'), line('/'), '', '']
  const report = ReplayReport.parse((await replayed(lines.join('\n'))).report)
  assert.deepEqual([report.lines, report.broken], [6, 2])
  assert.deepEqual([report.answered, report.missed], [4, 0])
  assert.match((await replayed('2026/11/26 10:00:00 [error] 1234#0: *1 open() failed\n')).message ?? '', /looks like an error log of nginx/)
  await empty()
})

test('a log of nothing but empty lines is stopped as any other, and what was sent goes', async () => {
  const { db, services, editor } = world
  const bytes = gzipSync(Buffer.alloc(300 * 1024 * 1024, '\n'), { level: 1 })
  const job = must(await services.redirectTrials.startReplay(editor, bytes, () => ({})))
  const running = runReplay(db, services.redirectTrials, job, log)
  while (must(await services.jobs.get(editor, job)).state !== 'running') await new Promise((resolve) => setTimeout(resolve, 5))
  must(await services.jobs.cancel(editor, job))
  await running
  assert.equal(must(await services.jobs.get(editor, job)).state, 'cancelled')
  assert.deepEqual(await rows(db, 'SELECT id FROM uploads'), [])
})

for (const [kind, name, bytes] of [
  ['list', 'old.txt', Buffer.from('http://old.example/rooms-by-quay.php\n/puffin-lighthouse.asp\n/timetables.html\n')],
  [
    'sitemap',
    'sitemap.xml',
    Buffer.from(
      '<?xml version="1.0"?><urlset xmlns="http://www.sitemaps.org/schemas/sitemap/0.9"><url><loc>http://old.example/rooms-by-quay.php</loc></url><url><loc>http://old.example/puffin-lighthouse.asp</loc></url><url><loc>http://old.example/timetables.html</loc></url></urlset>',
    ),
  ],
  [
    'sitemap',
    'sitemap.xml.gz',
    gzipSync(
      '<?xml version="1.0"?><urlset xmlns="http://www.sitemaps.org/schemas/sitemap/0.9"><url><loc>http://old.example/rooms-by-quay.php</loc></url><url><loc>http://old.example/puffin-lighthouse.asp</loc></url><url><loc>http://old.example/timetables.html</loc></url></urlset>',
    ),
  ],
  ['list', 'old.txt.gz', gzipSync('http://old.example/rooms-by-quay.php\n\n/puffin-lighthouse.asp\n/timetables.html\n')],
  [
    'log',
    'access.log',
    Buffer.from(
      [line('/rooms-by-quay.php'), line('/rooms-by-quay.php'), line('/puffin-lighthouse.asp'), line('/timetables.html'), line('/logo.png')]
        .join('\n')
        .replaceAll('.asp', '')
        .replaceAll('.php', ''),
    ),
  ],
  [
    'site',
    'old.zip',
    zipOf({
      'rooms-by-quay.html': '<title>Rooms</title>',
      'puffin-lighthouse.html': '<title>A walk</title><p>puffins causeway granite lighthouse puffins</p>',
      'timetables.html': '<title>x</title>',
    }),
  ],
] as const)
  test(`a move is rehearsed with old addresses from a ${kind}, ${name}`, async () => {
    const { db, services, editor } = world
    const job = must(await services.redirectTrials.startRehearsal(editor, { bytes: new Uint8Array(bytes), name }))
    await runRehearsal(db, services.redirectTrials, job, log)
    const { report: found, message } = must(await services.jobs.get(editor, job))
    assert.equal(message, null)
    const report = RehearsalReport.parse(found)
    assert.deepEqual([report.kind, report.old, report.answered, report.items.length], [kind, 3, 1, 2])
    const best = new Map(report.items.map(({ from, suggestions }) => [from.replace(/\.\w+$/, ''), suggestions[0]]))
    assert.equal(best.get('/rooms-by-quay')?.to, '/rooms-by-the-quay.html')
    // Only the words of the page itself tell where that one went.
    if (kind === 'site') assert.equal(best.get('/puffin-lighthouse')?.to, '/islands/great-mew.html')
    if (kind === 'log') assert.equal(report.items[0]?.visits, 2)
  })

test('a rehearsal calls answered what lands, and tells what it left out of a list', async () => {
  const { db, services, editor } = world
  await take('/well,/hops\n/hops,/timetables.html\n/astray,/there-is-none\n/away,https://elsewhere.example/\n/gone,,410')
  const list = ['/well', '/astray', '/away', '/gone', '/index.php?id=5', 'mailto:crew@old.example', '/timetables.html', '/new-one'].join(
    '\n',
  )
  const job = must(await services.redirectTrials.startRehearsal(editor, { bytes: new Uint8Array(text(list)), name: 'old.txt' }))
  await runRehearsal(db, services.redirectTrials, job, log)
  const report = RehearsalReport.parse(must(await services.jobs.get(editor, job)).report)
  assert.deepEqual([report.answered, report.queries, report.unread], [4, 1, 1])
  assert.deepEqual(
    report.items.map(({ from, isLedAstray }) => [from, isLedAstray]),
    [
      ['/astray', true],
      ['/index.php', false],
      ['/new-one', false],
    ],
  )
  await empty()
})

test('the site’s zip has a page in place of each redirect that such a page can stand for, and never one over a page', async () => {
  const { services, owner } = world
  await take(
    [
      'from,to,status,match,host',
      '/old-pier,/islands/great-mew.html?x="1"&y,301,,',
      '/old/tables.htm,https://elsewhere.example/,302,,site.localhost',
      '/timetables.html,/,301,,',
      '/gone,,410,,',
      '/wide,/,301,under,',
      '/list.pdf,/,301,,',
      '/..%5cout,/,301,,',
    ].join('\n'),
  )
  const zip = unzipSync(new Uint8Array(await new Response(must(await services.exports.siteZip(owner, 'draft'))).arrayBuffer()))
  assert.deepEqual(Object.keys(zip).sort(), [
    'index.html',
    'islands/great-mew.html',
    'old-pier/index.html',
    'old/tables.htm',
    'rooms-by-the-quay.html',
    'timetables.html',
  ])
  const page = Buffer.from(zip['old-pier/index.html'] ?? []).toString()
  assert.match(page, /<link rel="canonical" href="\/islands\/great-mew\.html\?x=&#34;1&#34;&#38;y">/)
  assert.match(page, /<meta http-equiv="refresh" content="0; url=\/islands\/great-mew/)
  await empty()
})

test('a path has room for so many rows, each with a condition of its own, and no more: by lists, steps and one by one', async () => {
  const { services, editor } = world
  const list = Array.from({ length: ROWS_AT_ONE_PATH_MAX + 5 }, (_, n) => `/index.php?page=${n},/timetables.html`).join('\n')
  assert.deepEqual(counts(await take(`from,to\n${list}`, { dryRun: true })), [ROWS_AT_ONE_PATH_MAX, 0, 0, 5])
  assert.deepEqual(counts(await take(`from,to\n${list}`)), [ROWS_AT_ONE_PATH_MAX, 0, 0, 5])
  const one = { from: '/index.php?page=last', to: '/timetables.html' }
  const made = await services.redirects.create(editor, one)
  assert.equal(made.ok ? '' : made.fault, 'redirects-too-many')
  const step = must(await services.redirectSteps.create(editor, { what: 'One', items: [{ do: 'make', row: one }] }))
  assert.deepEqual([step.made, step.refused.length], [0, 1])
  const [row] = await table({ limit: 1 })
  must(await services.redirects.change(editor, row?.id ?? '', { version: row?.version ?? 0, note: 'what is there can be changed' }))
  await empty()
  await empty()
  await empty()
})

test('a site takes so many patterns that every request has to be asked of, and not one more', async () => {
  const { services, editor } = world
  const list = Array.from({ length: PATTERNS_BY_ONE_TEXT_MAX + 3 }, (_, n) => `/:p${n}/:b,/timetables.html,pattern`).join('\n')
  assert.deepEqual(counts(await take(`from,to,match\n${list}`)), [PATTERNS_BY_ONE_TEXT_MAX, 0, 0, 3])
  const wide = await services.redirects.create(editor, { from: '[0-9]+', to: '/timetables.html', match: 'expression' })
  assert.equal(wide.ok ? '' : wide.fault, 'redirects-too-many')
  must(await services.redirects.create(editor, { from: '/timetable-[0-9]+', to: '/timetables.html', match: 'expression' }))
  await empty()
})

test('a row whose step is taken back is found again by the text that it needed before', async () => {
  const { services, editor, db } = world
  const made = must(await services.redirects.create(editor, { from: '^/walks/(\\d+)$', match: 'expression', to: '/walk-$1' }))
  const needs = async () => (await selectOne(db, redirects, ['needs'], { id: made.id }))?.needs
  const before = await needs()
  assert.equal(before, neededText('expression', made.from))
  const change = { version: made.version, from: '^/ferries/(\\d+)$' }
  const done = must(await services.redirectSteps.create(editor, { what: 'Ferries', items: [{ do: 'change', id: made.id, change }] }))
  assert.equal(await needs(), neededText('expression', change.from))
  assert.notEqual(await needs(), before)
  await undo(done.step ?? '')
  assert.equal(await needs(), before)
  await empty()
})
