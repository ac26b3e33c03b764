import assert from 'node:assert/strict'
import { before, test } from 'node:test'
import { gzipSync } from 'node:zlib'
import { unzipSync } from 'fflate'
import { ENTRIES_MAX, UNPACKED_MAX_BYTES } from '../../src/contract/imports.ts'
import { rows } from '../../src/data/database.ts'
import { runImport } from '../../src/jobs/imports.ts'
import { bringIn, makeWorld, must, pageAt, reportOf, text, type World, zipOf } from './world.ts'

let world: World
before(async () => {
  world = await makeWorld()
})

const outcomes = (job: Parameters<typeof reportOf>[0]): Record<string, string> =>
  Object.fromEntries(
    reportOf(job).items.map((item) => [item.name, item.reason === null ? item.outcome : `${item.outcome}: ${item.reason}`]),
  )

async function exported(): Promise<Record<string, Uint8Array>> {
  const stream = must(await world.services.exports.siteZip(world.owner, 'draft'))
  return unzipSync(new Uint8Array(await new Response(stream).arrayBuffer()))
}

/** Bytes as they come from elsewhere, one page an encoding. */
const FOREIGN: Readonly<Record<string, Uint8Array>> = {
  'bom.html': Uint8Array.of(0xef, 0xbb, 0xbf, ...text('<title>Mark</title><a href="x">é</a>')),
  'utf16.html': Uint8Array.from(
    [...'\ufeff<title>Wide</title><a href="x">港</a>'].flatMap((c) => [c.charCodeAt(0) & 255, c.charCodeAt(0) >> 8]),
  ),
  'latin.html': Uint8Array.of(...text('<title>Caf'), 0xe9, ...text('</title><a href=http://out.example/>x</a>')),
  'sjis.html': Uint8Array.of(
    ...text('<meta charset=shift_jis><title>'),
    0x83,
    0x5c,
    0x8d,
    0x60,
    ...text('</title><a href="http://out.example/">'),
    0x8d,
    0x60,
    ...text('</a>'),
  ),
  'gbk.html': Uint8Array.of(
    ...text('<meta charset=gb2312><title>'),
    0xb8,
    0xdb,
    ...text('</title><a href=http://out.example/ >'),
    0xb8,
    0xdb,
    ...text('</a>'),
  ),
  'frames.html': text('<frameset cols="*,*"><frame src=a.html><frame src=b.html></frameset>'),
  'broken.html': text('<p><a href="/x"<b>mis<i>nested</b></i></a><a href="open'),
  'deep.html': text(`<title>Deep</title>${'<div>'.repeat(900)}<a href=x>y</a>`),
}

test('a dry run says what would come, and changes nothing', async () => {
  const job = await bringIn(world, zipOf({ ...FOREIGN, 'style.css': 'p{}', 'shelf/index.html': '<title>Shelf</title>' }), { dryRun: true })
  const report = reportOf(job)
  assert.deepEqual([report.isDryRun, report.new, report.refused, job.done, job.total], [true, 10, 0, 10, 10])
  const found = Object.fromEntries(report.items.map((item) => [item.name, [item.path, item.encoding, item.title]]))
  assert.deepEqual(found['sjis.html'], ['/sjis.html', 'shift_jis', 'ソ港'])
  assert.deepEqual(found['utf16.html'], ['/utf16.html', 'utf-16le', 'Wide'])
  assert.deepEqual(found['latin.html'], ['/latin.html', 'windows-1252', 'Café'])
  assert.deepEqual(found['shelf/index.html'], ['/shelf/', 'utf-8', 'Shelf'])
  assert.equal(must(await world.services.pages.list(world.owner, { limit: 1 })).total, 0)
})

test('bytes come out as they came in, and again with rules everywhere but in the start tags', async () => {
  await bringIn(world, zipOf({ ...FOREIGN, 'pic.png': Uint8Array.of(0x89, 0x50, 0x4e, 0x47) }))
  const plain = await exported()
  for (const [name, bytes] of Object.entries(FOREIGN)) assert.deepEqual(Buffer.from(plain[name] ?? []), Buffer.from(bytes), name)
  assert.deepEqual([...(plain['pic.png'] ?? [])], [0x89, 0x50, 0x4e, 0x47])
  must(
    await world.services.rules.save(world.owner, {
      version: 0,
      rules: [{ id: 'o', name: 'Out', isOn: true, isBinding: false, when: { is: 'kind', of: ['outside'] }, what: { opens: 'new tab' } }],
    }),
  )
  const ruled = await exported()
  for (const name of ['latin.html', 'sjis.html', 'gbk.html']) {
    const out = Buffer.from(ruled[name] ?? []).toString('latin1')
    assert.match(out, / rel="noopener" target="_blank"/, name)
    assert.equal(out.replace(' rel="noopener" target="_blank"', ''), Buffer.from(FOREIGN[name] ?? []).toString('latin1'), name)
  }
})

test('a dry run says how many links the rules will change, page by page, in whatever encoding', async () => {
  const report = reportOf(await bringIn(world, zipOf({ ...FOREIGN, 'plain.txt': 'x' }), { dryRun: true }))
  const changes = Object.fromEntries(report.items.map((item) => [item.name, item.changes]))
  assert.deepEqual(changes, {
    'bom.html': 0,
    'utf16.html': 0,
    'latin.html': 1,
    'sjis.html': 1,
    'gbk.html': 1,
    'frames.html': 0,
    'broken.html': 0,
    'deep.html': 0,
    'plain.txt': null,
  })
})

test('each bad entry is left out with its reason, and stops no other', async () => {
  const job = await bringIn(
    world,
    zipOf({
      '../above.html': '<p>',
      'a/../../b.html': '<p>',
      '/root.html': '<p>',
      'C:\\x.html': '<p>',
      '.hidden/x.html': '<p>',
      '__MACOSX/x.html': '<p>',
      'picture.html': Uint8Array.of(0x89, 0x50, 0x4e, 0x47, 0x0d, 0x0a),
      'binary.html': new Uint8Array(3000).map((_, i) => i % 7),
      'bad.html.gz': 'not gzip',
      'twin.html': '<p>1',
      'twin.html.gz': gzipSync('<p>2'),
      'good.html': '<title>Good</title>',
    }),
  )
  const found = outcomes(job)
  assert.match(found['../above.html'] ?? '', /refused: Its name points outside/)
  assert.match(found['a/../../b.html'] ?? '', /outside/)
  assert.match(found['/root.html'] ?? '', /outside/)
  assert.match(found['C:\\x.html'] ?? '', /outside/)
  assert.match(found['.hidden/x.html'] ?? '', /hidden/)
  assert.match(found['__MACOSX/x.html'] ?? '', /operating system/)
  assert.match(found['picture.html'] ?? '', /PNG picture/)
  assert.match(found['binary.html'] ?? '', /no text/)
  assert.match(found['bad.html.gz'] ?? '', /unpacked/)
  assert.match(found['twin.html.gz'] ?? '', /same address as twin.html/)
  assert.equal(found['good.html'], 'new')
})

test('a packed page is unpacked, and a page of 50 MB is refused with the limit', async () => {
  const job = await bringIn(
    world,
    zipOf({ 'spec.html.gz': gzipSync('<title>Packed</title>'), 'huge.html': new Uint8Array(50 * 1024 * 1024).fill(32) }),
  )
  const found = outcomes(job)
  assert.equal(found['spec.html.gz'], 'new')
  assert.match(found['huge.html'] ?? '', /50 MB; 8 MB are the most for a page/)
  assert.ok(await pageAt(world, '/spec.html'))
})

const bombs = [
  ['says it is too large', () => declare(zipOf({ 'a.html': '<p>' }), UNPACKED_MAX_BYTES + 1), /Unpacked, this zip would take 501 MB/],
  [
    'has too many files',
    () => zipOf(Object.fromEntries(Array.from({ length: ENTRIES_MAX + 1 }, (_, i) => [`${i}.txt`, '']))),
    /20001 files; 20000 are the most/,
  ],
  ['is none', () => text('PK? no'), /named like a zip, but it is none/],
  ['is cut off', () => zipOf({ 'a.html': '<p>' }).slice(0, 40), /damaged/],
] as const
for (const [name, make, message] of bombs) {
  test(`a zip that ${name} is refused whole, in clear words`, async () => {
    const job = await bringIn(world, make())
    assert.equal(job.state, 'failed')
    assert.match(job.message ?? '', message)
  })
}

test('a zip that lies about its size is stopped while it unpacks', async () => {
  const job = await bringIn(world, declare(zipOf({ 'liar.html': 'x'.repeat(100_000), 'honest.html': '<p>' }), 10))
  assert.match(outcomes(job)['liar.html'] ?? '', /larger than the zip says/)
})

/** Writes another unpacked size into the first entry of the zip's directory. */
function declare(zip: Uint8Array, size: number): Uint8Array {
  const at = Buffer.from(zip).indexOf(Buffer.from([0x50, 0x4b, 0x01, 0x02]))
  new DataView(zip.buffer, zip.byteOffset).setUint32(at + 24, size, true)
  return zip
}

test('the same upload again changes nothing; a changed page says when it was edited here', async () => {
  const zip = zipOf({ 'again.html': '<title>One</title><p>words</p>' })
  await bringIn(world, zip)
  assert.equal(outcomes(await bringIn(world, zip))['again.html'], 'same')
  const id = await pageAt(world, '/again.html')
  must(await world.services.pages.change(world.editor, id, { version: 1, patchSets: [[{ from: 21, to: 21, insert: '<b>' }]] }))
  const third = await bringIn(world, zipOf({ 'again.html': '<title>Two</title>' }), { dryRun: true })
  assert.match(outcomes(third)['again.html'] ?? '', /changed: It was edited here/)
})

test('the one folder everything lies in is named, and left off on request', async () => {
  const zip = zipOf({ 'mysite/index.html': '<title>Front</title>', 'mysite/a.html': '<p>' })
  assert.equal(reportOf(await bringIn(world, zip, { dryRun: true })).folder, 'mysite')
  const job = await bringIn(world, zip, { leaveOff: 'mysite' })
  assert.deepEqual(
    reportOf(job).items.map(({ path }) => path),
    ['/', '/a.html'],
  )
})

test('a cancelled import leaves nothing behind', async () => {
  const { services, owner, db, context } = world
  const files = Object.fromEntries(Array.from({ length: 400 }, (_, i) => [`many/${i}.html`, `<title>${i}</title>`]))
  const job = must(await services.imports.start(owner, { name: 'many.zip', bytes: zipOf(files) }, () => ({ dryRun: false })))
  const running = runImport(db, services.views, job, context.log)
  await rows(db, 'UPDATE jobs SET is_cancel_asked = true WHERE id = $1', [job])
  await running
  assert.equal(must(await services.jobs.get(owner, job)).state, 'cancelled')
  assert.equal(must(await services.pages.list(owner, { search: 'many', limit: 5 })).total, 0)
})

test('only those who may bring sites in can', async () => {
  const refused = await world.services.imports.start(world.contributor, { name: 'x.zip', bytes: zipOf({ 'a.html': '' }) }, () => ({
    dryRun: true,
  }))
  assert.deepEqual(refused.ok ? null : refused.fault, 'forbidden')
})

test('of a feed with one link that is no address that item is refused, and the rest is taken', async () => {
  const item = (title: string, link: string): string =>
    `<item><title>${title}</title><link>${link}</link><description>&lt;p&gt;${title}&lt;/p&gt;</description></item>`
  const feed = `<rss version="2.0"><channel><title>f</title>${item('Low water', 'https://[tern')}${item('High water', 'https://tern.example/high-water.html')}</channel></rss>`
  const report = reportOf(await bringIn(world, text(feed), { name: 'feed.xml', dryRun: true }))
  assert.deepEqual(
    report.items.map(({ outcome, reason }) => [outcome, reason]),
    [
      ['refused', 'The address that the feed gives it cannot be read.'],
      ['new', null],
    ],
  )
})

test('attributes of somebody else’s that are named as our marks are come in and go out as they are, and decide nothing', async () => {
  const own = await makeWorld()
  const html =
    '<p><a href="https://tides.example/" data-by-hand="hints" DATA-TAGS=x data-theirs-tags>t</a> <a href=/x data-tags="spring">x</a></p>'
  must(
    await own.services.rules.save(own.owner, {
      version: 0,
      rules: [
        { id: 'o', name: 'Out', isOn: true, isBinding: false, when: { is: 'kind', of: ['outside'] }, what: { hints: ['nofollow'] } },
        { id: 't', name: 'Tag', isOn: true, isBinding: true, when: { is: 'tag', of: ['spring'] }, what: { hints: ['ugc'] } },
      ],
    }),
  )
  reportOf(await bringIn(own, zipOf({ 'theirs.html': html })))
  const zip = async (): Promise<string> =>
    Buffer.from(
      unzipSync(new Uint8Array(await new Response(must(await own.services.exports.siteZip(own.owner, 'draft'))).arrayBuffer()))[
        'theirs.html'
      ] ?? [],
    ).toString()
  assert.equal(await zip(), html.replace('"https://tides.example/"', '"https://tides.example/" rel="nofollow"'))
  const again = reportOf(await bringIn(own, zipOf({ 'theirs.html': html }), { dryRun: true }))
  assert.equal(again.same, 1)
  const rewritten = must(await own.services.rules.rewrite(own.owner, { html }))
  assert.equal(rewritten.html, html.replace('"https://tides.example/"', '"https://tides.example/" rel="nofollow"'))
})
