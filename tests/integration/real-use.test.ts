import assert from 'node:assert/strict'
import { before, test } from 'node:test'
import type { PersonInvited } from '../../src/contract/people.ts'
import { SetUp } from '../../src/contract/sites.ts'
import { rows } from '../../src/data/database.ts'
import { inUseAs, putSetUpCode, readSiteSetup } from '../../src/data/sites.ts'
import { actorFor } from '../../src/services/people/index.ts'
import { digest } from '../../src/services/secrets.ts'
import { makeWorld, must, PASSWORD, type World } from './world.ts'

let world: World
before(async () => {
  world = await makeWorld()
})

const STUDIO = 'http://localhost:4999'
const codeIn = ({ entry }: PersonInvited): string => new URL(entry?.link ?? 'http://none').searchParams.get('code') ?? ''
const answering = async (): Promise<string[]> =>
  (await readSiteSetup(world.db, world.owner.siteId))?.hosts.map(({ host }) => host).sort() ?? []

test('an empty installation is set up once, by whoever has the code, also when two come at once', async () => {
  const empty = await makeWorld()
  await rows(empty.db, 'DELETE FROM sites')
  const { sites, people } = empty.services
  await putSetUpCode(empty.db, digest('the code'))
  assert.equal(await inUseAs(empty.db), 'waiting')
  assert.equal(await sites.maySetUp('another code'), false)
  const wanted = SetUp.parse({
    name: 'Tern',
    language: 'PT-br',
    timeZone: 'Europe/Lisbon',
    host: 'https://WWW.tern.example/',
    shortHost: 't.example',
    prefix: 'go',
    ownerName: 'Mara',
    email: 'Mara@Tern.example',
    password: 'slow boats go far',
  })
  assert.equal((await sites.setUp('another code', wanted)).ok, false)
  const answers = await Promise.all([sites.setUp('the code', wanted), sites.setUp('the code', wanted)])
  assert.equal(answers.filter(({ ok }) => ok).length, 1)
  assert.equal((await rows(empty.db, 'SELECT id FROM sites')).length, 1)
  assert.equal(await inUseAs(empty.db), 'real')
  assert.equal(await sites.maySetUp('the code'), false)
  const { actor } = must(await people.signIn('mara@tern.example', 'slow boats go far', '10.0.0.1'))
  assert.equal(actor.role, 'owner')
  assert.deepEqual(
    must(await empty.services.hosts.list(actor)).items.map(({ host, kind, isMain }) => [host, kind, isMain]),
    [
      ['www.tern.example', 'site', true],
      ['t.example', 'short', true],
    ],
  )
  assert.equal(must(await sites.get(actor)).language, 'pt-BR')
  const page = must(await empty.services.pages.create(actor, { path: '/a.html', title: 'A' }))
  assert.match(must(await empty.services.pages.source(actor, page.id)).source, /<html lang="pt-BR">/)
})

test('what cannot be a host, zone, language, prefix or password is told line by line', () => {
  const read = SetUp.safeParse({
    name: ' ',
    language: 'not a tag',
    timeZone: 'Nowhere/Else',
    host: 'www tern',
    shortHost: 'localhost',
    prefix: 'go/',
    ownerName: 'Mara',
    email: 'mara',
    password: 'short',
  })
  assert.deepEqual([...new Set(read.error?.issues.map(({ path }) => String(path[0])))].sort(), [
    'email',
    'host',
    'language',
    'name',
    'password',
    'prefix',
    'shortHost',
    'timeZone',
  ])
})

test('somebody who is added comes in with a link that works once; a newer link ends the one before', async () => {
  const { people } = world.services
  const wanted = { name: 'Ish', email: 'ish@site.example', role: 'contributor' as const }
  const first = must(await people.add(world.owner, wanted, STUDIO))
  assert.equal(first.person.state, 'invited')
  assert.equal((await people.signIn('ish@site.example', '', '10.0.0.2')).ok, false)
  const again = must(await people.link(world.owner, first.person.id, STUDIO))
  assert.equal(await people.invited(codeIn(first)), null)
  const both = await Promise.all([people.enter(codeIn(again), 'tides and times'), people.enter(codeIn(again), 'times and tides')])
  assert.equal(both.filter(({ ok }) => ok).length, 1)
  const [stored] = await rows<{ n: number }>(world.db, 'SELECT count(*)::int AS n FROM entry_links')
  assert.equal(stored?.n, 0)
  const taken = await people.add(world.owner, wanted, STUDIO)
  assert.equal(taken.ok ? '' : taken.fault, 'email-taken')
  assert.equal((await people.add(world.editor, { ...wanted, email: 'x@site.example' }, STUDIO)).ok, false)
})

test('who has ended is out everywhere at once, keeps a name in the history, and can be taken in again', async () => {
  const { people, tokens } = world.services
  const invited = must(await people.add(world.owner, { name: 'Wren', email: 'wren@site.example', role: 'editor' }, STUDIO))
  const { person } = invited
  const { token, actor } = must(await people.enter(codeIn(invited), 'under the harbour'))
  const made = must(await tokens.make(actor, { name: 'script', scopes: ['pages:read'] }))
  must(await people.end(world.owner, person.id))
  assert.equal(await people.resume(token), null)
  assert.equal(await tokens.bearer(made.token), null)
  assert.equal(await people.actorOf(person.id, world.owner.siteId), null)
  assert.equal((await people.signIn('wren@site.example', 'under the harbour', '10.0.0.3')).ok, false)
  assert.equal(must(await people.list(world.owner)).items.find(({ id }) => id === person.id)?.state, 'ended')
  const back = must(await people.add(world.owner, { name: 'Wren', email: 'wren@site.example', role: 'contributor' }, STUDIO))
  assert.equal(back.person.id, person.id)
  assert.equal(must(await people.enter(codeIn(back), 'under the harbour')).actor.role, 'contributor')
})

test('a site keeps an owner who can sign in, whoever ends or demotes whom at the same time', async () => {
  const { people } = world.services
  const alone = await people.end(world.owner, world.owner.personId)
  assert.equal(alone.ok ? '' : alone.fault, 'last-owner')
  const invited = must(await people.add(world.owner, { name: 'Two', email: 'two@site.example', role: 'owner' }, STUDIO))
  const { person } = invited
  const early = await people.change(world.owner, world.owner.personId, { version: 1, role: 'editor' })
  assert.equal(early.ok ? '' : early.fault, 'last-owner', 'who has not come in yet is no owner to leave it to')
  const { actor } = must(await people.enter(codeIn(invited), 'two of us by now'))
  const both = await Promise.all([people.end(world.owner, person.id), people.end(actor, world.owner.personId)])
  assert.equal(both.filter(({ ok }) => ok).length, 1)
  await rows(
    world.db,
    `WITH back AS (UPDATE memberships SET ended_at = NULL WHERE person_id = $1) UPDATE people SET password_hash = 'x' WHERE id = $1`,
    [world.owner.personId],
  )
})

test('a password is changed by its person alone, and signs every other browser out', async () => {
  const { people, tokens } = world.services
  const here = must(await people.signIn('editor@site.example', PASSWORD, '10.0.0.4'))
  const elsewhere = must(await people.signIn('editor@site.example', PASSWORD, '10.0.0.5'))
  const wrong = await people.changePassword(here.actor, { current: 'guess', password: 'a new one altogether' })
  assert.equal(wrong.ok ? '' : wrong.fault, 'password-not-yours')
  must(await people.changePassword(here.actor, { current: PASSWORD, password: 'a new one altogether' }))
  assert.ok((await people.resume(here.token)) !== null)
  assert.equal(await people.resume(elsewhere.token), null)
  assert.equal((await people.signIn('editor@site.example', PASSWORD, '10.0.0.6')).ok, false)
  assert.equal((await people.signIn('editor@site.example', 'a new one altogether', '10.0.0.6')).ok, true)
  const { token } = must(await tokens.make(here.actor, { name: 'all', scopes: ['*'] }))
  const byToken = await people.changePassword((await tokens.bearer(token)) ?? actorFor({ ...here.actor, id: '' }), {
    current: 'a new one altogether',
    password: 'taken over by a script',
  })
  assert.equal(byToken.ok ? '' : byToken.fault, 'forbidden')
})

test('a host for short links goes with what stands on it told, and comes back with it', async () => {
  const { hosts, shortLinks } = world.services
  const short = must(await hosts.list(world.owner)).items.find(({ kind }) => kind === 'short')
  assert.ok(short !== undefined)
  must(await shortLinks.create(world.owner, { destination: 'https://tides.example/', slug: 'tides' }))
  await rows(world.db, `INSERT INTO click_rollups SELECT id, current_date, 'person', 7 FROM short_links LIMIT 1`)
  const page = must(await world.services.pages.create(world.owner, { path: '/uses.html', title: 'Uses' }))
  const { source, version } = must(await world.services.pages.source(world.owner, page.id))
  const at = source.indexOf('</main>')
  const insert = '<p><a href="http://SHORT.localhost:4999/go/tides">t</a> <a href="//short.localhost.evil.example/">no</a></p>'
  must(await world.services.pages.change(world.owner, page.id, { version, patchSets: [[{ from: at, to: at, insert }]] }))
  assert.deepEqual(must(await hosts.uses(world.owner, short.id)), { shortLinks: 1, clicks: 7, pages: 0, links: 1, linkPages: 1 })
  must(await hosts.remove(world.owner, short.id))
  assert.deepEqual(await answering(), ['site.localhost'])
  assert.equal(must(await shortLinks.list(world.owner, { limit: 10 })).total, 0)
  assert.equal((await shortLinks.create(world.owner, { destination: 'https://tides.example/' })).ok, false)
  must(await hosts.putBack(world.owner, short.id))
  assert.equal(must(await shortLinks.list(world.owner, { limit: 10 })).items[0]?.slug, 'tides')
  assert.deepEqual(await answering(), ['short.localhost', 'site.localhost'])
})

test('a host is called otherwise on top of the newest version, by an owner, and never like another; pages keep one', async () => {
  const { hosts } = world.services
  const [site, short] = must(await hosts.list(world.owner)).items
  assert.ok(site !== undefined && short !== undefined)
  const refused = async (wanted: ReturnType<typeof hosts.change>): Promise<string> => {
    const answer = await wanted
    return answer.ok ? '' : answer.fault
  }
  assert.equal(await refused(hosts.change(world.editor, site.id, { version: site.version, host: 'x.localhost' })), 'forbidden')
  assert.equal(await refused(hosts.change(world.owner, site.id, { version: site.version, host: short.host })), 'host-taken')
  assert.equal(await refused(hosts.change(world.owner, site.id, { version: site.version, host: '127.0.0.1' })), 'host-is-studio')
  assert.equal(await refused(hosts.change(world.owner, site.id, { version: site.version, prefix: 'go' })), 'prefix-only-short')
  const renamed = must(await hosts.change(world.owner, short.id, { version: short.version, host: 's.localhost', prefix: '' }))
  assert.equal(await refused(hosts.change(world.owner, short.id, { version: short.version, prefix: 'x' })), 'moved-on')
  assert.equal(must(await world.services.shortLinks.list(world.owner, { limit: 1 })).items[0]?.address, 'http://s.localhost:4999/tides')
  must(await hosts.change(world.owner, short.id, { version: renamed.version, host: 'short.localhost', prefix: 'go' }))
  const second = must(await hosts.make(world.owner, { kind: 'site', host: 'second.localhost' }))
  assert.equal(second.isMain, false)
  const both = await Promise.all([hosts.remove(world.owner, site.id), hosts.remove(world.owner, second.id)])
  assert.deepEqual(both.map(({ ok }) => ok).sort(), [false, true])
  assert.equal(must(await hosts.list(world.owner)).items.filter(({ kind, isMain }) => kind === 'site' && isMain).length, 1)
})
