import assert from 'node:assert/strict'
import { before, beforeEach, test } from 'node:test'
import { unzipSync } from 'fflate'
import type { BulkChangeBody, Selection } from '../../src/contract/bulk-changes.ts'
import type { Rule } from '../../src/core/rules/index.ts'
import { rows } from '../../src/data/database.ts'
import { bringIn, makeWorld, must, pageAt, type World, zipOf } from './world.ts'

const PAID = 'https://gannet-line.example/smock'
const A = `<p>One <a href="${PAID}">smock</a> and <a href="http://site.localhost:4999/b.html">b</a></p>\n<p><a  HREF='https://tides.example/x?ref=old'>here</a></p>`
const B = `<p><a href="${PAID}" rel="me">again</a> <a href="${PAID}">twice in one</a></p>`
const rule = (when: Rule['when'], what: Rule['what']): Rule => ({ id: 'r', name: 'r', isOn: true, isBinding: false, when, what })

let world: World
before(async () => {
  world = await makeWorld()
})
beforeEach(async () => {
  await rows(world.db, 'DELETE FROM pages')
  await rows(world.db, 'DELETE FROM partners')
  await rows(world.db, 'DELETE FROM rules')
  await world.services.placements.rebuild(world.owner.siteId) // what goes past the log is not followed
  await bringIn(world, zipOf({ 'a.html': A, 'b.html': B }))
  must(await world.services.partners.create(world.owner, { name: 'Gannet & Line', sites: ['gannet-line.example'] }))
})

const source = async (path: string): Promise<string> =>
  must(await world.services.pages.source(world.owner, await pageAt(world, path))).source
const make = async (change: BulkChangeBody, selection: Selection, dryRun = false) =>
  must(await world.services.bulkChanges.make(world.owner, { change, selection, dryRun }))

test('a review changes nothing; what it shows is what is done, in one step, and undone in one step', async () => {
  const own = { id: 'own', name: 'Own words', isOn: true, isBinding: false, when: { is: 'partner' as const }, what: { hints: [] } }
  must(await world.services.rules.save(world.owner, { version: 0, rules: [own] }))
  const selection = { filter: { finding: 'unmarked' as const } }
  const review = await make({ do: 'tell', hints: ['sponsored', 'nofollow'] }, selection, true)
  assert.deepEqual([review.id, review.links, review.pages], [null, 3, 2])
  assert.equal(await source('/a.html'), A)
  const made = await make({ do: 'tell', hints: ['sponsored', 'nofollow'] }, selection)
  assert.deepEqual(made.items, review.items)
  assert.equal(await source('/a.html'), A.replace(`"${PAID}"`, `"${PAID}" rel="sponsored nofollow" data-by-hand="hints"`))
  assert.match(await source('/b.html'), /rel="me sponsored nofollow"/)
  assert.equal((await make({ do: 'tell', hints: [] }, selection, true)).links, 0, 'nothing is unmarked any more')
  const history = must(await world.services.pages.history(world.owner, await pageAt(world, '/a.html')))
  assert.equal(history.items[0]?.madeBy, 'bulk')
  assert.deepEqual(must(await world.services.bulkChanges.undo(world.owner, made.id ?? '')), { pages: 2, left: [] })
  assert.deepEqual([await source('/a.html'), await source('/b.html')], [A, B])
  const twice = await world.services.bulkChanges.undo(world.owner, made.id ?? '')
  assert.equal(twice.ok ? '' : twice.fault, 'already-undone')
})

test('undoing keeps what was edited elsewhere on a page since, and leaves a page that was edited in the same place', async () => {
  const made = await make({ do: 'replace', find: PAID, put: 'https://new.example/smock' }, { filter: {} })
  assert.equal(made.links, 3)
  const edit = async (path: string, find: string, put: string): Promise<void> => {
    const id = await pageAt(world, path)
    const { source: text, version } = must(await world.services.pages.source(world.owner, id))
    const from = text.indexOf(find)
    must(await world.services.pages.change(world.owner, id, { version, patchSets: [[{ from, to: from + find.length, insert: put }]] }))
  }
  await edit('/a.html', '>here<', '>there<')
  await edit('/b.html', 'new.example/smock" rel', 'other.example/cap" rel')
  const undone = must(await world.services.bulkChanges.undo(world.owner, made.id ?? ''))
  assert.deepEqual([undone.pages, undone.left.map(({ page }) => page)], [1, ['/b.html']])
  assert.equal(await source('/a.html'), A.replace('>here<', '>there<'))
  assert.match(await source('/b.html'), /other\.example\/cap/)
})

test('each kind of change touches the start tags it means, and no other byte', async () => {
  const all = { filter: {} }
  const after = async (change: BulkChangeBody, selection: Selection = all): Promise<string> => {
    const made = await make(change, selection)
    const text = await source('/a.html')
    must(await world.services.bulkChanges.undo(world.owner, made.id ?? ''))
    return text
  }
  assert.equal(
    await after({ do: 'replace', find: '?ref=old', put: '?ref=new' }),
    A.replace("?ref=old'", '?ref=new\' data-by-hand=""').replace(
      '<a  HREF=\'https://tides.example/x?ref=new\' data-by-hand=""',
      '<a data-by-hand=""  HREF=\'https://tides.example/x?ref=new\'',
    ),
  )
  assert.equal(await after({ do: 'own path' }), A.replace('http://site.localhost:4999/b.html', '/b.html'))
  assert.equal(
    await after({ do: 'unlink' }, { filter: { text: 'tides' } }),
    A.replace("<a  HREF='https://tides.example/x?ref=old'>here</a>", 'here'),
  )
  assert.match(
    await after({ do: 'open', opens: 'new tab' }, { filter: { text: 'tides' } }),
    /HREF='https:\/\/tides\.example\/x\?ref=old' target="_blank" data-by-hand="opens">here/,
  )
  assert.match(
    await after({ do: 'tag', add: ['spring', 'boats'], remove: [] }, { filter: { text: 'tides' } }),
    /data-tags="spring, boats">here/,
  )
  const title = await make({ do: 'take title' }, { filter: { text: 'site.localhost' } }, true)
  assert.deepEqual(
    title.items.map(({ text, after }) => [text, after.split('>')[1]]),
    [['b', ' b.html']],
  )
})

test('tags of links and pages are asked for by rules and lists, and never delivered', async () => {
  await make({ do: 'tag', add: ['spring'], remove: [] }, { filter: { text: 'tides' } })
  const id = await pageAt(world, '/b.html')
  const { version } = must(await world.services.pages.source(world.owner, id))
  must(
    await world.services.pages.change(world.owner, id, {
      version,
      patchSets: [],
      tags: ['Spring', 'log'],
    }),
  )
  must(await world.services.rules.save(world.owner, { version: 0, rules: [rule({ is: 'tag', of: ['spring'] }, { hints: ['ugc'] })] }))
  const { items } = must(await world.services.placements.list(world.owner, { strand: 'ugc', limit: 50 }))
  assert.deepEqual(items.map(({ text }) => text).sort(), ['again', 'here', 'twice in one'])
  assert.match(await source('/a.html'), /data-tags/)
  const zip = unzipSync(new Uint8Array(await new Response(must(await world.services.exports.siteZip(world.owner, 'draft'))).arrayBuffer()))
  assert.doesNotMatch(new TextDecoder().decode(zip['a.html']), /data-tags/)
})

test('what rules decide is baked into pages as revisions, page by page, and undone in one step', async () => {
  must(
    await world.services.rules.save(world.owner, {
      version: 0,
      rules: [rule({ is: 'partner' }, { hints: ['sponsored'], title: 'Leads to {site}' })],
    }),
  )
  const [a, b] = [await pageAt(world, '/a.html'), await pageAt(world, '/b.html')]
  const baked = await make({ do: 'bake' }, { filter: {}, except: [b] })
  assert.deepEqual([baked.links, baked.pages], [1, 1])
  assert.equal(await source('/a.html'), A.replace(`"${PAID}"`, `"${PAID}" rel="sponsored" title="Leads to gannet-line.example"`))
  assert.equal(await source('/b.html'), B)
  assert.equal(must(await world.services.pages.history(world.owner, a)).items[0]?.madeBy, 'bake')
  assert.equal((await make({ do: 'bake' }, { filter: {}, except: [b] }, true)).links, 0, 'baking twice is baking once')
  must(await world.services.bulkChanges.undo(world.owner, baked.id ?? ''))
  assert.equal(await source('/a.html'), A)
})

test('a link that stands elsewhere by now is left alone and told; a contributor changes nothing in bulk', async () => {
  const id = await pageAt(world, '/a.html')
  const review = await make(
    { do: 'unlink' },
    {
      links: [
        [id, 0, 3],
        [id, 1, 999],
      ],
    },
    true,
  )
  assert.equal(review.links, 0)
  assert.match(review.skipped[0]?.why ?? '', /has changed since/)
  const refused = await world.services.bulkChanges.make(world.contributor, {
    change: { do: 'unlink' },
    selection: { filter: {} },
    dryRun: true,
  })
  assert.equal(refused.ok ? '' : refused.fault, 'forbidden')
})

test('a menu’s entries are changed like links', async () => {
  const menu = must(await world.services.menus.create(world.owner, { name: 'main', title: 'Main' }))
  must(
    await world.services.menus.change(world.owner, menu.id, {
      version: menu.version,
      menu: { entries: [{ id: '1', kind: 'link', label: 'Shop', href: PAID, children: [] }], left: [], joins: 'nowhere' },
    }),
  )
  const made = await make({ do: 'replace', find: 'gannet-line.example', put: 'new.example' }, { filter: { where: 'menu' } })
  assert.deepEqual([made.links, made.items[0]?.text], [1, 'Shop'])
  assert.match(
    await source('menu:main').catch(async () => JSON.stringify(must(await world.services.menus.get(world.owner, menu.id)).menu)),
    /new\.example/,
  )
})

test('the index is never stale after a save, and is the same when it is derived anew', async () => {
  const listed = async () =>
    must(await world.services.placements.list(world.owner, { limit: 100 })).items.map(({ page, ordinal, href, tags, findings }) => ({
      page,
      ordinal,
      href,
      tags,
      findings,
    }))
  await make({ do: 'tag', add: ['x'], remove: [] }, { filter: { text: 'again' } })
  const before = await listed()
  assert.deepEqual(before.find(({ page, ordinal }) => page === '/b.html' && ordinal === 0)?.tags, ['x'])
  assert.ok(before.find(({ page, ordinal }) => page === '/a.html' && ordinal === 2)?.findings.includes('says little'))
  await rows(world.db, 'UPDATE placements SET href = $1, paragraph = NULL', ['https://broken.example/'])
  const [site] = await rows<{ id: string }>(world.db, 'SELECT id FROM sites')
  assert.equal(await world.services.placements.rebuild(site?.id ?? ''), 2)
  assert.deepEqual(await listed(), before)
})

test('what the list shows is had as CSV, with cells that no spreadsheet takes for a formula', async () => {
  await bringIn(world, zipOf({ 'c.html': '<a href="https://tides.example/">=HYPERLINK("x")</a>' }))
  const { text: csv, next } = must(await world.services.placements.csv(world.owner, { site: 'tides.example' }, null))
  assert.equal(next, null)
  const lines = csv.trim().split('\n')
  assert.equal(lines.length, 2)
  assert.ok(
    lines.every((line) => !/(?:^|,)"?=/.test(line)),
    csv,
  )
  assert.match(csv, /,as it was written,/, 'why a link goes out as it does is told in words')
})

test('a change of many pages tells how far it is under the id that was chosen, and is stopped with nothing changed', async () => {
  const pages = Array.from({ length: 450 }, (_, i) => [
    `many/${i}.html`,
    `<p><a href="https://many.example/${i}">m</a> <a href="https://many.example/x">n</a>`,
  ])
  await bringIn(world, zipOf(Object.fromEntries(pages) as Record<string, string>))
  const selection = { filter: { site: 'many.example' } }
  const change = { do: 'tag' as const, add: ['counted'], remove: [] }
  const tagged = async (): Promise<number> => must(await world.services.placements.list(world.owner, { limit: 1, tag: 'counted' })).total
  const before = must(await world.services.bulkChanges.list(world.owner)).items.length
  const [job, stopped] = [crypto.randomUUID(), crypto.randomUUID()]
  const stopping = world.services.bulkChanges.make(world.owner, { change, selection, dryRun: false, job: stopped })
  for (;;) {
    const asked = await world.services.jobs.cancel(world.owner, stopped)
    if (asked.ok) break
    assert.equal(asked.fault, 'not-found')
    await new Promise((resolve) => setTimeout(resolve, 5))
  }
  const refused = await stopping
  assert.equal(refused.ok ? '' : refused.fault, 'cancelled')
  assert.equal(must(await world.services.jobs.get(world.owner, stopped)).state, 'cancelled')
  assert.equal(await tagged(), 0)
  assert.equal(must(await world.services.bulkChanges.list(world.owner)).items.length, before)
  const made = must(await world.services.bulkChanges.make(world.owner, { change, selection, dryRun: false, job }))
  assert.deepEqual([made.links, made.pages, await tagged()], [900, 450, 900])
  const done = must(await world.services.jobs.get(world.owner, job))
  assert.deepEqual([done.state, done.kind, done.total], ['done', 'bulk-change', 900])
  const again = await world.services.bulkChanges.make(world.owner, { change, selection, dryRun: true, job })
  assert.equal(again.ok ? '' : again.fault, 'job-not-ready', 'an id stands for one piece of work')
  assert.deepEqual(must(await world.services.bulkChanges.undo(world.owner, made.id ?? '')), { pages: 450, left: [] })
  assert.equal(await tagged(), 0)
})

test('CSV comes in parts that fit together, whatever changes in between', async () => {
  const { csv } = world.services.placements
  const whole: string[] = []
  let after: Parameters<typeof csv>[2] = null
  const pages = Array.from({ length: 60 }, (_, i) => [`csv/${i}.html`, '<p><a href="https://csv.example/">c</a>'.repeat(50)])
  await bringIn(world, zipOf(Object.fromEntries(pages) as Record<string, string>))
  for (let parts = 0; ; parts++) {
    const part: { text: string; next: Parameters<typeof csv>[2] } = must(await csv(world.owner, { site: 'csv.example' }, after))
    whole.push(...part.text.trim().split('\n'))
    if (parts === 0) await bringIn(world, zipOf({ 'a-first.html': '<a href="https://csv.example/">before all others</a>' }))
    if (part.next === null) break
    after = part.next
  }
  assert.equal(whole.length, 3_000, 'each link once')
})
