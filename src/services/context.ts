import type { Logger } from 'pino'
import type { Transaction } from 'sequelize'
import { z } from 'zod'
import type { Permission } from '../contract/people.ts'
import type { PartFinder } from '../core/blocks/index.ts'
import { type CompiledSite, compileSite } from '../core/rules/index.ts'
import { announceSnapshot, type Database, inTransaction, jsonOf, rows } from '../data/database.ts'
import type { Role } from '../data/models.ts'
import { readParts } from '../data/parts.ts'
import { readSiteSetup, snapshotVersion } from '../data/sites.ts'
import type { Settings } from '../environment.ts'

/** What every service stands on. */
export interface Context {
  readonly db: Database
  readonly settings: Settings
  readonly log: Logger
  /** Sends a job to the job floor; it may run in another process. */
  readonly enqueue: (queue: string, data: object) => Promise<void>
}

/** Who asks, and what they may do. */
export interface Actor {
  readonly personId: string
  readonly siteId: string
  readonly name: string
  readonly email: string
  readonly role: Role
  readonly tokenId: string | null
  /** Of whoever is signed in with a browser. */
  readonly sessionId: string | null
  can(permission: Permission): boolean
}

/** Compiled sites, kept until a change that counts the snapshot up. */
export class SiteViews {
  readonly #kept = new Map<string, { version: number; view: CompiledSite }>()
  readonly #context: Context

  constructor(context: Context) {
    this.#context = context
  }

  async of(actor: Pick<Actor, 'siteId'>): Promise<CompiledSite> {
    const { db, settings } = this.#context
    const version = await snapshotVersion(db)
    const kept = this.#kept.get(actor.siteId)
    if (kept?.version === version) return kept.view
    const setup = await readSiteSetup(db, actor.siteId)
    if (setup === null) throw new Error(`Site ${actor.siteId} is gone`)
    const view = compileSite(setup, settings.port)
    this.#kept.set(actor.siteId, { version, view })
    return view
  }

  /** What every shared part shows, by "block name" or "menu name": as it stands in the studio, or as readers see it. */
  async allParts(actor: Pick<Actor, 'siteId'>, of: 'draft' | 'live'): Promise<Record<string, string>> {
    return Object.fromEntries((await readParts(this.#context.db, actor.siteId, of)).map(({ key, html }) => [key, html]))
  }

  /** What shared parts show: as they stand in the studio, or as readers see them. */
  async partsOf(actor: Pick<Actor, 'siteId'>, of: 'draft' | 'live'): Promise<PartFinder> {
    const parts = new Map((await readParts(this.#context.db, actor.siteId, of)).map(({ key, html }) => [key, html]))
    return (kind, name) => parts.get(`${kind} ${name}`) ?? null
  }
}

/** Writes down who did what. Details must hold no secret. */
export async function writeAudit(
  db: Database,
  actor: Actor,
  action: string,
  subject: string | null,
  detail: object,
  transaction: Transaction,
): Promise<void> {
  await rows(
    db,
    'INSERT INTO audit (site_id, person_id, token_id, action, subject, detail) VALUES ($1, $2, $3, $4, $5, $6::jsonb)',
    [actor.siteId, actor.personId, actor.tokenId, action, subject, jsonOf(detail)],
    transaction,
  )
}

/** A transaction that takes its writes back when its answer is a refusal. */
export async function write<R extends { ok: boolean }>(db: Database, work: (transaction: Transaction) => Promise<R>): Promise<R> {
  let answer: R | undefined
  try {
    return await inTransaction(db, async (transaction) => {
      answer = await work(transaction)
      if (!answer.ok) throw new Refused()
      return answer
    })
  } catch (error) {
    if (error instanceof Refused && answer !== undefined) return answer
    throw error
  }
}
class Refused extends Error {}

/** Visitors could see the change: delivery must hear of it when the transaction commits. */
export const announce = announceSnapshot

/** Cursors are opaque to callers: a JSON value in base64url. */
export const cursorOf = (value: unknown): string => Buffer.from(JSON.stringify(value)).toString('base64url')

/**
 * Reads a cursor back as what its list put into it.
 * @returns undefined for one that is none of this list's, which then starts from the beginning
 */
export function readCursor<T>(cursor: string | undefined, shape: z.ZodType<T>): T | undefined {
  if (cursor === undefined) return undefined
  try {
    return shape.safeParse(JSON.parse(Buffer.from(cursor, 'base64url').toString())).data
  } catch {
    return undefined
  }
}

/** A path, as the place in a list that is in the order of paths. */
export const PathCursor = z.string().refine((path) => !path.includes('\0'))
