import pg from 'pg'
import type { Transaction } from 'sequelize'
import type { Capability, ChangeKind } from '../contract/capabilities.ts'
import { LED_AWAY_MAX } from '../core/rules/index.ts'
import { type Database, rows } from './database.ts'
import { hostOf, leadsOut } from './partners.ts'

/** What a site is compiled from: rules, and what tells its own addresses and its partners' from others. */
export const SET_UP: ReadonlySet<Capability> = new Set(['rules', 'partners', 'hosts', 'sites', 'disclosure'])

export interface Change {
  readonly number: number
  readonly capability: Capability
  /** Its id; of rules the version of the list, of checks when they were kept (ISO 8601). */
  readonly key: string
  readonly what: ChangeKind
}

/** Channel on which is told that a site has changed: its id and its newest number. */
export const CHANGES_CHANNEL = 'maprope_changes'

/** The changes of one transaction, gathered while it works. Their numbers are taken last, so that nobody else waits for the work. */
export class Changes {
  readonly #bySite = new Map<string, Omit<Change, 'number'>[]>()

  add(siteId: string, capability: Capability, keys: string | readonly string[], what: ChangeKind): void {
    const changes = this.#bySite.get(siteId) ?? []
    for (const key of [keys].flat()) changes.push({ capability, key, what })
    this.#bySite.set(siteId, changes)
  }

  /**
   * Writes them to the log. The site's counter stays locked until the transaction commits: a reader that sees a number sees
   * every smaller one. Nothing that takes a lock may come after it.
   */
  async write(db: Database, transaction: Transaction): Promise<void> {
    for (const [siteId, changes] of [...this.#bySite].sort(([a], [b]) => (a < b ? -1 : 1))) {
      if (changes.length === 0) continue
      // Once for all that leads away from the site: however rows and pages change, they pass here.
      if (await leadsAwayElsewhere(db, siteId, changes, transaction)) changes.push({ capability: 'sites', key: siteId, what: 'changed' })
      await rows(
        db,
        `WITH next AS (
           INSERT INTO change_counters AS c (site_id, number, set_up_number) VALUES ($1, $2::int, CASE WHEN $6 THEN $2::int ELSE 0 END)
           ON CONFLICT (site_id) DO UPDATE SET number = c.number + $2::int, set_up_number = CASE WHEN $6 THEN c.number + $2::int ELSE c.set_up_number END
           RETURNING number),
         written AS (
           INSERT INTO changes (site_id, number, capability, key, what)
           SELECT $1, next.number - $2::int + each.place, each.capability, each.key, each.what
           FROM next, unnest($3::text[], $4::text[], $5::text[]) WITH ORDINALITY AS each (capability, key, what, place))
         SELECT pg_notify('${CHANGES_CHANNEL}', $1 || ' ' || number) FROM next`,
        [
          siteId,
          changes.length,
          changes.map(({ capability }) => capability),
          changes.map(({ key }) => key),
          changes.map(({ what }) => what),
          changes.some(({ capability }) => SET_UP.has(capability)),
        ],
        transaction,
      )
    }
  }
}

/** Rows, partners, short links and what is published decide which of a site's own addresses lead to partners. */
const mayLeadAway = ({ capability, what }: Omit<Change, 'number'>): boolean =>
  capability === 'redirects' || capability === 'partners' || capability === 'hosts' || (capability === 'pages' && what === 'published')

/** Whether any redirect leads to a short link of the site. */
async function hasRowsToShortLinks(db: Database, siteId: string, transaction: Transaction): Promise<boolean> {
  const [found] = await rows<{ has: boolean }>(
    db,
    `SELECT EXISTS (SELECT 1 FROM hosts w JOIN redirects r ON ${leadsOut('$1')} AND ${hostOf('r')} = reverse(w.host)
       WHERE w.site_id = $1 AND w.kind = 'short') AS has`,
    [siteId],
    transaction,
  )
  return found?.has === true
}

/**
 * Derives anew which addresses of the site's own lead to partners by redirects.
 * @param changes - by which it may be others
 * @returns whether they are
 */
async function leadsAwayElsewhere(
  db: Database,
  siteId: string,
  changes: readonly Omit<Change, 'number'>[],
  transaction: Transaction,
): Promise<boolean> {
  const isByShortLinks = changes.some(({ capability }) => capability === 'short-links')
  if (!changes.some(mayLeadAway) && !(isByShortLinks && (await hasRowsToShortLinks(db, siteId, transaction)))) return false
  // Where nothing went and there is no more room, there is nothing to be done.
  const isOnlyMore = changes.every(({ what }) => what === 'made')
  const changed = await rows(
    db,
    `WITH derived AS MATERIALIZED (SELECT CASE WHEN $2 AND jsonb_array_length(led_away->'rows') >= ${LED_AWAY_MAX} THEN led_away ELSE led_away_of($1) END AS led
       FROM sites WHERE id = $1)
     UPDATE sites SET led_away = derived.led FROM derived WHERE id = $1 AND led_away IS DISTINCT FROM derived.led RETURNING id`,
    [siteId, isOnlyMore],
    transaction,
  )
  return changed.length > 0
}

/** How far a site's log goes. */
export interface LogEnd {
  readonly siteId: string
  readonly number: number
  readonly setUpNumber: number
  readonly prunedTo: number
}

/** How far the logs go, of all sites or of one; of a site that nothing was logged of yet, 0. */
export async function logEnds(db: Database, siteId: string | null = null, transaction?: Transaction): Promise<LogEnd[]> {
  const found = await rows<{ siteId: string; number: string; setUpNumber: string; prunedTo: string }>(
    db,
    `SELECT s.id AS "siteId", coalesce(c.number, 0) AS number, coalesce(c.set_up_number, 0) AS "setUpNumber", coalesce(c.pruned_to, 0) AS "prunedTo"
     FROM sites s LEFT JOIN change_counters c ON c.site_id = s.id WHERE $1::uuid IS NULL OR s.id = $1`,
    [siteId],
    transaction,
  )
  return found.map((each) => ({
    siteId: each.siteId,
    number: Number(each.number),
    setUpNumber: Number(each.setUpNumber),
    prunedTo: Number(each.prunedTo),
  }))
}

/**
 * What comes after a reader's own number, in order.
 * @returns null where rows that it has not seen are gone: it starts anew
 */
export async function changesAfter(
  db: Database,
  { siteId, after, limit }: { siteId: string; after: number; limit: number },
  transaction?: Transaction,
): Promise<Change[] | null> {
  const found = await rows<Omit<Change, 'number'> & { number: string }>(
    db,
    'SELECT number, capability, key, what FROM changes WHERE site_id = $1 AND number > $2 ORDER BY number LIMIT $3',
    [siteId, after, limit],
    transaction,
  )
  const changes = found.map((each) => ({ ...each, number: Number(each.number) }))
  const first = changes[0]
  if (first !== undefined) return first.number === after + 1 ? changes : null
  const [end] = await logEnds(db, siteId, transaction)
  return end !== undefined && end.prunedTo > after ? null : []
}

/** Rows that every reader has had time for are dropped; one that was away for longer starts anew. */
export async function pruneChanges(db: Database, olderThanHours: number): Promise<void> {
  await rows(
    db,
    `WITH gone AS (DELETE FROM changes WHERE at < now() - make_interval(hours => $1) RETURNING site_id, number),
       last AS (SELECT site_id, max(number) AS number FROM gone GROUP BY site_id)
     UPDATE change_counters c SET pruned_to = greatest(c.pruned_to, last.number) FROM last WHERE last.site_id = c.site_id`,
    [olderThanHours],
  )
}

/** A connection on which changes are heard, and whose owner alone writes what is kept of them. */
export interface Followed {
  /** Settled when the connection is gone. */
  readonly lost: Promise<void>
  end(): Promise<void>
}

/** A lock of PostgreSQL is named by a number and this one. */
const FOLLOWER_LOCK = 7_062_402

/**
 * Hears of changes, for whoever keeps a copy of what they are about: of several processes that keep the same one, the first.
 * @param copy - what is kept, by its name
 * @param onChange - told at each change, and not what changed: that is in the log
 * @returns null while another process follows
 */
export async function followChanges(url: string, copy: string, onChange: () => void): Promise<Followed | null> {
  const client = new pg.Client({ connectionString: url, keepAlive: true })
  const lost = new Promise<void>((resolve) => {
    client.on('error', () => resolve())
    client.on('end', () => resolve())
  })
  const end = (): Promise<void> => client.end().catch(() => {})
  try {
    await client.connect()
    const { rows: got } = await client.query<{ isMine: boolean }>(
      `SELECT pg_try_advisory_lock(hashtextextended($1, ${FOLLOWER_LOCK})) AS "isMine"`,
      [copy],
    )
    if (got[0]?.isMine !== true) {
      await end()
      return null
    }
    client.on('notification', onChange)
    await client.query(`LISTEN ${CHANGES_CHANNEL}`)
    return { lost, end }
  } catch (error) {
    await end()
    throw error
  }
}
