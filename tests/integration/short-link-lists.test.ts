import assert from 'node:assert/strict'
import { before, test } from 'node:test'
import pino from 'pino'
import { ShortLinksBulkReport } from '../../src/contract/short-links.ts'
import { rows } from '../../src/data/database.ts'
import { runShortLinks } from '../../src/jobs/short-link-lists.ts'
import { type InWords, inWords } from '../../src/words/index.ts'
import { makeWorld, must, text, type World } from './world.ts'

let world: World
before(async () => {
  world = await makeWorld()
})

async function take(list: string, dryRun = false): Promise<InWords<ShortLinksBulkReport>> {
  const { db, services, editor } = world
  const job = must(await services.shortLinkLists.start(editor, text(list), dryRun))
  await runShortLinks(db, services.shortLinkLists, job, pino({ level: 'silent' }))
  const { state, report, message } = must(await services.jobs.get(editor, job))
  assert.equal(state, 'done', message ?? '')
  return inWords(ShortLinksBulkReport.parse(report))
}
const leadsTo = async (slug: string): Promise<string | undefined> =>
  must(await world.services.shortLinks.list(world.editor, { slug, limit: 1 })).items[0]?.destination
const counts = ({ new: made, changed, same, refused }: ShortLinksBulkReport) => [made, changed, same, refused]

test('a list is looked at first and changes nothing; then its rows are made, bad ones are told by line, and stop no other', async () => {
  const list = [
    'destination,slug,title,status',
    'https://tides.example/one,one,First,301',
    'http://https://tides.example/two,TWO,,',
    'javascript:alert(1),bad,,',
    '"https://tides.example/a,b",three,"A title, with a comma",',
    'https://tides.example/again,one,,',
    'https://tides.example/odd,not a slug,,',
    'https://tides.example/status,four,,404',
    'https://tides.example/warm/winter/smock,,,',
    '',
  ].join('\r\n')
  const looked = await take(list, true)
  assert.deepEqual([looked.isDryRun, ...counts(looked)], [true, 4, 0, 0, 4])
  assert.equal(must(await world.services.shortLinks.list(world.editor, { limit: 10 })).total, 0)
  const done = await take(list)
  assert.deepEqual(counts(done), [4, 0, 0, 4])
  assert.deepEqual(
    done.items.map(({ line, outcome }) => [line, outcome]),
    [
      [4, 'refused'],
      [6, 'refused'],
      [7, 'refused'],
      [8, 'refused'],
    ],
  )
  assert.match(done.items[1]?.reason ?? '', /Line 2 names the same/)
  assert.equal(await leadsTo('one'), 'https://tides.example/one')
  assert.equal(await leadsTo('two'), 'https://tides.example/two', 'mended as a pasted address is')
  assert.equal(await leadsTo('three'), 'https://tides.example/a,b')
  assert.equal(must(await world.services.shortLinks.list(world.editor, { limit: 10 })).total, 4)
})

test('what is there already stays the same, or is led elsewhere with its history; the list can come twice', async () => {
  const done = await take(
    'slug;destination\none;https://tides.example/moved\ntwo;https://tides.example/two\nfive;https://tides.example/five\n',
  )
  assert.deepEqual(counts(done), [1, 1, 1, 0])
  assert.match(done.items[0]?.reason ?? '', /It led to https:\/\/tides\.example\/one/)
  const [one] = must(await world.services.shortLinks.list(world.editor, { slug: 'one', limit: 1 })).items
  assert.deepEqual([one?.destination, one?.status, one?.title, one?.version], ['https://tides.example/moved', 301, 'First', 2])
  const [{ versions } = { versions: 0 }] = await rows<{ versions: number }>(
    world.db,
    'SELECT count(*)::int AS versions FROM short_link_changes WHERE short_link_id = $1',
    [one?.id],
  )
  assert.equal(versions, 2)
  assert.deepEqual(counts(await take('slug\tdestination\none\thttps://tides.example/moved\n')), [0, 0, 1, 0])
})

test('a list without a header that says what its columns are is refused with what it should say', async () => {
  const { db, services, editor } = world
  const job = must(await services.shortLinkLists.start(editor, text('https://tides.example/x,x\n'), false))
  await runShortLinks(db, services.shortLinkLists, job, pino({ level: 'silent' }))
  const { state, message } = must(await services.jobs.get(editor, job))
  assert.equal(state, 'failed')
  assert.match(message ?? '', /name the columns: destination, slug/)
  const refused = await services.shortLinkLists.start(world.contributor, text('destination\n'), false)
  assert.equal(refused.ok ? '' : refused.fault, 'forbidden')
})

test('the count follows what is made, taken away and brought back, by whomever, and a host that goes', async () => {
  const { shortLinks, hosts } = world.services
  const total = async (): Promise<number> => must(await shortLinks.list(world.owner, { limit: 1 })).total
  const before = await total()
  const made = must(await shortLinks.create(world.owner, { destination: 'https://tides.example/count', slug: 'count' }))
  assert.equal(await total(), before + 1)
  must(await shortLinks.remove(world.owner, made.id))
  assert.equal(await total(), before)
  must(await shortLinks.putBack(world.owner, made.id))
  assert.equal(
    (await take(`destination,slug\n${Array.from({ length: 1_500 }, (_, i) => `https://m.example/${i},m${i}`).join('\n')}\n`)).new,
    1_500,
  )
  assert.equal(await total(), before + 1 + 1_500)
  const short = must(await hosts.list(world.owner)).items.find(({ kind }) => kind === 'short')
  must(await hosts.remove(world.owner, short?.id ?? ''))
  assert.equal(await total(), 0)
  must(await hosts.putBack(world.owner, short?.id ?? ''))
  assert.equal(await total(), before + 1 + 1_500)
  // Whoever adds it once more, by its name, has it back as well; also under another prefix.
  must(await hosts.remove(world.owner, short?.id ?? ''))
  const again = must(await hosts.make(world.owner, { kind: 'short', host: short?.host ?? '', prefix: 'to' }))
  assert.deepEqual([again.id, again.prefix, await total()], [short?.id, 'to', before + 1 + 1_500])
  must(await hosts.change(world.owner, again.id, { version: again.version, prefix: short?.prefix ?? '' }))
})

test('a long list is paged to its end without a gap or a repetition, and searched by slug, title and destination', async () => {
  const { shortLinks } = world.services
  const seen = new Set<string>()
  let cursor: string | undefined
  do {
    const { items, next } = must(await shortLinks.list(world.owner, { limit: 200, cursor }))
    for (const { id } of items) assert.ok(!seen.has(id) && seen.add(id))
    cursor = next ?? undefined
  } while (cursor !== undefined)
  assert.equal(seen.size, must(await shortLinks.list(world.owner, { limit: 1 })).total)
  const found = async (search: string) => must(await shortLinks.list(world.owner, { search, limit: 5 })).items.map(({ slug }) => slug)
  assert.deepEqual(await found('m777'), ['m777'])
  assert.deepEqual(await found('FIRST moved'), ['one'])
  assert.deepEqual(await found('50%'), [], 'signs of the search language are letters like others')
})

test('open screens are told what changed since, of what they may see, or that it is too much to tell', async () => {
  const { changes, shortLinks } = world.services
  const { number } = must(await changes.after(world.owner, undefined))
  const made = must(await shortLinks.create(world.owner, { destination: 'https://tides.example/told', slug: 'told' }))
  const told = must(await changes.after(world.owner, number))
  assert.deepEqual(told.changes, [{ capability: 'short-links', key: made.id, what: 'made' }])
  assert.deepEqual(must(await changes.after(world.owner, told.number)).changes, [])
  const blind = { ...world.owner, can: (permission: string) => permission === 'pages:read' }
  assert.deepEqual(must(await changes.after(blind, number)), { number: told.number, changes: [] })
  assert.equal(must(await changes.after(world.owner, 0)).changes, null, 'a thousand and more')
  assert.equal(must(await changes.after(world.owner, told.number + 5)).changes, null, 'of another database')
})

test('notes and tags come in with a list; what the list leaves out stays; what went out changes nothing when it comes back', async () => {
  const { shortLinks } = world.services
  await take('destination,slug,note,tags\nhttps://tides.example/tags,tagged,"Printed, twice","Quay notes; poster, poster"\n')
  const tagged = async () => must(await shortLinks.list(world.editor, { slug: 'tagged', limit: 1 })).items[0]
  assert.deepEqual([(await tagged())?.note, (await tagged())?.tags], ['Printed, twice', ['quay notes', 'poster']])
  assert.deepEqual(counts(await take('destination,slug,title\nhttps://tides.example/tags,tagged,Posters\n')), [0, 1, 0, 0])
  assert.deepEqual([(await tagged())?.title, (await tagged())?.tags], ['Posters', ['quay notes', 'poster']])
  const out = must(await shortLinks.csv(world.owner, null)).text
  assert.deepEqual(counts(await take(out)).slice(0, 2), [0, 0])
  const long = await take(
    `destination,slug,note,tags\nhttps://tides.example/l,long,${'x'.repeat(2_001)},\nhttps://tides.example/m,many,,${'a'.repeat(61)}\n`,
  )
  assert.deepEqual(counts(long), [0, 0, 0, 2])
})
