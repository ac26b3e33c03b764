import { mayAsk } from '../../contract/operation.ts'
import { placements as calls } from '../../contract/placements.ts'
import { TAG_MAX_CHARS } from '../../core/content/index.ts'
import {
  type PlacementPage,
  type PlacementsHead,
  type PlacementsPart,
  type Placement as StoredPlacement,
  sendPlacement,
  type ToldVerdict,
} from '../../core/placements/index.ts'
import { fail, ok, type Result } from '../../core/result.ts'
import type { SiteGround } from '../../core/rules/index.ts'
import { type Change, changesAfter, logEnds } from '../../data/changes.ts'
import { verdictsSince } from '../../data/checks.ts'
import { listFine } from '../../data/fine-findings.ts'
import { ownPaths, pathsOf } from '../../data/paths.ts'
import { countPlacements } from '../../data/placements.ts'
import { namesOf } from '../../data/short-link-slugs.ts'
import type { Actor, Context, SiteViews } from '../context.ts'
import { KnownShortLinks } from '../known-short-links.ts'
import { hasPath, leadElsewhere, learnShortLinks, readPages, storedPlacements } from './lists.ts'

/** More links than these no screen holds by itself; the server answers for them. */
export const SCREEN_MAX = 100_000
/** Keeping what looks came to takes no longer. */
const KEEPING_MS = 30_000
/** After more changes a screen loads everything anew. */
const FOLLOWED_MAX = 300

/**
 * All placements for a screen to judge by itself, as lines of JSON: a head, then parts.
 * @param after - the newest change that the screen knows; null for none
 */
export async function sendPlacements(
  { db, settings }: Context,
  views: SiteViews,
  actor: Actor,
  after: number | null,
): Promise<Result<AsyncGenerator<string>, 'forbidden'>> {
  // Its first line holds what links are judged by: rules, partners with their accounts, and short links.
  if (!mayAsk(actor, calls.send)) return fail('forbidden')
  const { siteId } = actor
  const view = await views.of(actor)
  const stamp = (await logEnds(db, siteId))[0]?.number ?? 0
  const changes = after === null || after > stamp ? null : await changesAfter(db, { siteId, after, limit: FOLLOWED_MAX })
  const head = { stamp, total: null, isLarge: false, isLedElsewhere: true, setup: view.setup, port: settings.port }
  const short = new KnownShortLinks(db, siteId)
  return ok(changes !== null && isFollowed(changes) ? await followed(changes) : await everything())

  async function followed(seen: readonly Change[]): Promise<AsyncGenerator<string>> {
    const keysOf = (...capabilities: readonly Change['capability'][]): string[] => [
      ...new Set(seen.filter(({ capability, what }) => capabilities.includes(capability) && what !== 'published').map(({ key }) => key)),
    ]
    const changed = keysOf('pages', 'waiting')
    const come = [...new Set(seen.filter(hasPath).map(({ key }) => key))]
    const known = await pathsOf(db, siteId, come)
    // Nobody knows any more where something was that was deleted.
    const hasAllPaths = known.length < come.length
    const whole = {
      ...head,
      after,
      stamp: seen[seen.length - 1]?.number ?? stamp,
      hasAllPaths,
      isLedElsewhere: leadElsewhere(seen),
      paths: hasAllPaths ? await allPaths() : known,
      fine: keysOf('findings').length > 0 ? [...(await listFine(db, siteId))] : null,
      verdicts: await verdictsFor(seen),
      changed,
      shortLinks: await namesOf(db, siteId, keysOf('short-links')),
    }
    return lines(whole, parts(short, view, changedPages(changed)))
  }

  async function everything(): Promise<AsyncGenerator<string>> {
    const total = await countPlacements(db, siteId, SCREEN_MAX + 1)
    const none = { ...head, total, after: null, paths: [], hasAllPaths: true, fine: [], verdicts: [], changed: [], shortLinks: [] }
    if (total > SCREEN_MAX) return lines({ ...none, isLarge: true }, nothing())
    const whole = { ...none, paths: await allPaths(), fine: [...(await listFine(db, siteId))], verdicts: await told(new Date(0)) }
    return lines(whole, parts(short, view, storedPlacements(db, siteId, { withTags: true })))
  }

  /** What is said of destinations since a time. */
  async function told(since: Date): Promise<ToldVerdict[]> {
    return (await verdictsSince(db, siteId, { since, after: null, limit: SCREEN_MAX })).map(({ address, verdict, isBroken }) => ({
      address,
      verdict,
      isBroken,
    }))
  }

  /** What is said since the first of these changes: each names when it was kept. */
  async function verdictsFor(seen: readonly Change[]): Promise<ToldVerdict[]> {
    const times = seen.filter(({ capability }) => capability === 'checks').map(({ key }) => Date.parse(key) || 0)
    return times.length === 0 ? [] : told(new Date(Math.min(...times) - KEEPING_MS))
  }

  async function allPaths() {
    return [...(await ownPaths(db, siteId))].map((path) => ({ path, isHere: true }))
  }

  async function* changedPages(ids: readonly string[]) {
    for (const { page, placements } of await readPages(db, siteId, ids)) yield { pages: [page], rows: placements }
  }
}

/** Who follows can take these over one by one. */
const isFollowed = (changes: readonly Change[]): boolean =>
  changes.length < FOLLOWED_MAX &&
  !changes.some(
    ({ capability }) => capability === 'partners' || capability === 'hosts' || capability === 'sites' || capability === 'waiting',
  )

async function* nothing(): AsyncGenerator<PlacementsPart> {}

async function* lines(head: PlacementsHead, following: AsyncGenerator<PlacementsPart>): AsyncGenerator<string> {
  yield `${JSON.stringify(head)}\n`
  for await (const part of following) yield `${JSON.stringify(part)}\n`
}

async function* parts(
  short: KnownShortLinks,
  view: SiteGround,
  stored: AsyncGenerator<{ pages: PlacementPage[]; rows: StoredPlacement[] }>,
): AsyncGenerator<PlacementsPart> {
  const numbers = new Map<string, number>()
  for await (const { pages, rows } of stored) {
    for (const page of pages) numbers.set(page.id, numbers.size)
    const known = short.all.length
    await learnShortLinks(short, view, rows)
    const sent = rows.map((row) => sendPlacement(numbers.get(row.page.id) ?? 0, row, row.tag.length >= TAG_MAX_CHARS))
    yield { pages, rows: sent, shortLinks: short.all.slice(known) }
  }
}
