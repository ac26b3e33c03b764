import { randomUUID } from 'node:crypto'
import { z } from 'zod'
import {
  type CheckDetails,
  type Checked,
  type CheckFine,
  type CheckRequest,
  type ChecksList,
  type ChecksQuery,
  checks as calls,
  type MendAsked,
  type Mended,
} from '../../contract/checks.ts'
import { mayAsk } from '../../contract/operation.ts'
import { type AddressFault, parseUrl, repair } from '../../core/address/index.ts'
import { leadsTo, tellJudged, VERDICTS } from '../../core/checks/index.ts'
import { fail, ok, type Result } from '../../core/result.ts'
import {
  type AskedFor,
  askForAll,
  askForLooks,
  type CheckedRow,
  type ChecksFilter,
  countChecks,
  countVerdicts,
  findCheck,
  listChecks,
  pastVerdicts,
  setFine,
  usersOf,
} from '../../data/checks.ts'
import { beginJob } from '../../data/jobs.ts'
import { usersToMend } from '../../data/partner-moves.ts'
import { tell } from '../../words/index.ts'
import type { visitsService } from '../addresses/index.ts'
import { type Actor, type Context, cursorOf, readCursor, type SiteViews, write, writeAudit } from '../context.ts'
import type { placementsService } from '../placements/index.ts'
import type { Repoint } from '../repoint.ts'
import { destinationLooks } from './look.ts'
import { DestinationUses } from './uses.ts'

const Place = z.object({ verdict: z.enum(VERDICTS).nullable(), id: z.uuid() })
const USERS_SHOWN = 200
/** Pages, short links and rows that one step can mend. */
const MENDED_MAX = 5_000

interface Others {
  readonly visits: ReturnType<typeof visitsService>
  readonly placements: ReturnType<typeof placementsService>
  readonly repoint: Repoint
}

export function checksService(context: Context, views: SiteViews, { visits, placements, repoint }: Others) {
  const { db, settings } = context
  const uses = new DestinationUses(db, views, settings.port)

  return {
    /** Looks at a destination that is due; see {@link destinationLooks}. */
    look: destinationLooks(context, views, visits),

    /** Brings up to date which addresses a site leads to. */
    follow: (siteId: string): Promise<void> => uses.follow(siteId),

    async list(actor: Actor, query: ChecksQuery): Promise<Result<ChecksList, 'forbidden'>> {
      if (!mayAsk(actor, calls.list)) return fail('forbidden')
      const { origin } = await views.of(actor)
      const filter: ChecksFilter = {
        siteId: actor.siteId,
        verdict: query.verdict,
        address: query.address === undefined ? undefined : (leadsTo(query.address, `${origin}/`)?.address ?? query.address),
        host: query.host,
        isBroken: query.broken === '1' ? true : undefined,
      }
      const after = readCursor(query.cursor, Place) ?? null
      const counts = await countVerdicts(db, actor.siteId)
      const isPlain = filter.address === undefined && filter.host === undefined && filter.isBroken === undefined
      const total = isPlain
        ? counts.reduce((sum, each) => sum + (filter.verdict === undefined || each.verdict === filter.verdict ? each.destinations : 0), 0)
        : await countChecks(db, filter)
      const found = await listChecks(db, filter, { after, limit: query.limit + 1 })
      const items = found.slice(0, query.limit)
      const last = items[items.length - 1]
      return ok({
        items: items.map(shown),
        next: found.length > items.length && last !== undefined ? cursorOf({ verdict: last.verdict, id: last.id }) : null,
        total,
        counts: [...counts].sort((a, b) => rankOf(a.verdict) - rankOf(b.verdict)),
      })
    },

    async get(actor: Actor, id: string): Promise<Result<CheckDetails, 'forbidden' | 'not-found'>> {
      if (!mayAsk(actor, calls.get)) return fail('forbidden')
      const row = await findCheck(db, actor.siteId, id)
      if (row === null) return fail('not-found')
      const [past, users] = await Promise.all([pastVerdicts(db, id), usersOf(db, id, USERS_SHOWN)])
      const may = {
        page: true,
        'short-link': actor.can('short-links:read'),
        redirect: actor.can('redirects:read'),
        partner: actor.can('partners:read'),
      }
      return ok({
        ...shown(row),
        past: past.map(({ verdict, also, at, until }) => ({
          verdict,
          also: also as Checked['also'],
          from: at.toISOString(),
          until: until?.toISOString() ?? null,
        })),
        usedBy: users.filter(({ kind }) => may[kind]),
      })
    },

    /** Has destinations looked at before all that is due by itself. */
    async start(actor: Actor, request: CheckRequest): Promise<Result<{ job: string }, 'forbidden' | 'address-unreadable' | 'not-found'>> {
      if (!mayAsk(actor, calls.start)) return fail('forbidden')
      const view = await views.of(actor)
      const asked = askedFor(request, `${view.origin}/`, (id) => view.setup.partners.find((each) => each.id === id)?.sites)
      if (!asked.ok) return asked
      const job = randomUUID()
      const known = asked.value === 'all' ? await countChecks(db, { siteId: actor.siteId }) : 0
      return write(db, async (transaction) => {
        const isAll = asked.value === 'all'
        const total = asked.value === 'all' ? known : await askForLooks(db, actor.siteId, job, asked.value, transaction)
        await beginJob(db, { id: job, siteId: actor.siteId, kind: 'checks', personId: actor.personId, total }, transaction)
        if (isAll) await askForAll(db, job, transaction)
        await writeAudit(db, actor, 'checks:start', job, { destinations: total }, transaction)
        return ok({ job })
      })
    },

    /** Leads everything that leads to an address to another one. */
    async mend(
      actor: Actor,
      { address: typed, to: typedTo, dryRun }: MendAsked,
    ): Promise<Result<Mended, AddressFault | 'forbidden' | 'address-unreadable' | 'moved-on' | 'nothing-to-change' | 'move-too-large'>> {
      if (!mayAsk(actor, calls.mend)) return fail('forbidden')
      const view = await views.of(actor)
      const base = `${view.origin}/`
      const from = leadsTo(typed, base)
      if (from === null) return fail('address-unreadable', { typed })
      const mended = repair(typedTo, view.around('/'))
      if (!mended.ok) return mended
      const to = mended.value.address
      const users = await usersToMend(db, actor.siteId, from.address, MENDED_MAX + 1)
      if (users.pages.length + users.shortLinks.length + users.redirects.length > MENDED_MAX) return fail('move-too-large')
      /** Where an address is to lead, with the section that it names; null where it is another one. */
      const next = (written: string): string | null => {
        const led = leadsTo(written, base)
        if (led?.address !== from.address) return null
        const hash = /#.*$/s.exec(written)?.[0] ?? ''
        return to.includes('#') ? to : `${to}${hash}`
      }
      // A short link leads away from the site: what is a path for a page is an address there.
      const whole = parseUrl(to, base)?.href ?? to
      const list = await placements.listOf(actor.siteId, view)
      const links = new Map(
        users.pages.map((id) => [
          id,
          new Map(
            list
              .judgedOn(id)
              .filter(({ facts }) => facts.address !== null && leadsTo(facts.address, base)?.address === from.address)
              .map((judged) => [judged.placement.ordinal, judged.placement.written.href] as const),
          ),
        ]),
      )
      const done = await repoint.make(
        actor,
        view,
        {
          ...{ partnerId: null, mended: { address: from.address, to }, links },
          shortLinks: users.shortLinks.flatMap((link) => (next(link.destination) === null ? [] : [{ link, after: whole }])),
          redirects: users.redirects.flatMap((row) => (next(row.to) === null ? [] : [{ row, after: to }])),
          // Links are found by where they lead; how they are written is their own business.
          next: (written) => `${to}${to.includes('#') ? '' : (/#.*$/s.exec(written)?.[0] ?? '')}`,
          what: tell('move.mended', { address: from.address.slice(0, 200) }),
          audit: { action: 'checks:mend', subject: null },
        },
        dryRun,
      )
      if (!done.ok) return done
      const { placements: count, pages, shortLinks, redirects, ...rest } = done.value
      return ok({ ...rest, links: count, changed: { pages, shortLinks, redirects } })
    },

    /** Notes that somebody finds fine what is said of a destination; that counts until something else is said. */
    async fine(actor: Actor, id: string, { reason }: CheckFine): Promise<Result<Checked, 'forbidden' | 'not-found'>> {
      if (!mayAsk(actor, calls.fine)) return fail('forbidden')
      const row = await findCheck(db, actor.siteId, id)
      if (row === null || row.verdict === null) return fail('not-found')
      const fine = reason === null ? null : { verdict: row.verdict, reason, personId: actor.personId, at: new Date().toISOString() }
      return write(db, async (transaction, changes) => {
        await setFine(db, actor.siteId, id, fine, transaction)
        await writeAudit(db, actor, 'checks:fine', id, { address: row.address, reason }, transaction)
        changes.add(actor.siteId, 'checks', new Date().toISOString(), 'changed')
        return ok(shown({ ...row, fine }))
      })
    },
  }
}

const rankOf = (verdict: Checked['verdict']): number => (verdict === null ? VERDICTS.length : VERDICTS.indexOf(verdict))

function askedFor(
  request: CheckRequest,
  base: string,
  sitesOf: (partner: string) => readonly string[] | undefined,
): Result<AskedFor | 'all', 'address-unreadable' | 'not-found'> {
  if ('all' in request) return ok('all')
  if ('page' in request) return ok({ page: request.page })
  if ('partner' in request) {
    const sites = sitesOf(request.partner)
    return sites === undefined ? fail('not-found') : ok({ partner: sites })
  }
  const addresses = request.addresses.map((typed) => ({ typed, to: leadsTo(typed, base) }))
  const unreadable = addresses.find(({ to }) => to === null)
  if (unreadable !== undefined) return fail('address-unreadable', { typed: unreadable.typed })
  return ok({ digestsOf: addresses.flatMap(({ to }) => (to === null ? [] : [{ address: to.address, host: to.host }])) })
}

function shown({ seen, doubts, since, seenAt, dueAt, fine, ...row }: CheckedRow): Checked {
  const [worst] = seen?.judged ?? []
  return {
    ...row,
    also: [...row.also] as Checked['also'],
    since: since?.toISOString() ?? null,
    seenAt: seenAt?.toISOString() ?? null,
    dueAt: dueAt?.toISOString() ?? null,
    isInDoubt: doubts > 0,
    evidence:
      seen === null || worst === undefined
        ? null
        : {
            hops: seen.hops.map(({ address, status, ms }) => ({ address, status, ms })),
            title: seen.page?.title ?? null,
            says: tellJudged(worst),
          },
    fine: fine === null ? null : { reason: fine.reason, at: fine.at },
  }
}
