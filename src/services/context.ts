import type { Logger } from 'pino'
import { z } from 'zod'
import type { DoneWith, SentSite } from '../apart/index.ts'
import type { Permission } from '../contract/permissions.ts'
import type { PartFinder } from '../core/blocks/index.ts'
import { ok, type Result } from '../core/result.ts'
import { type CompiledSite, compileSite, type SiteGround, withShortLinks } from '../core/rules/index.ts'
import { insertAudit } from '../data/audit.ts'
import { Changes, logEnds } from '../data/changes.ts'
import { type Database, inTransaction, type Transaction } from '../data/database.ts'
import { readParts } from '../data/parts.ts'
import { readSiteSetup } from '../data/sites.ts'
import type { Role } from '../data/tables/index.ts'
import type { Settings } from '../settings/index.ts'
import { KnownShortLinks } from './known-short-links.ts'

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

/** Compiled sites, kept until what they are compiled from changes. */
export class SiteViews {
  readonly #kept = new Map<string, { setUpNumber: number; view: SiteGround }>()
  /** Those that are being read: who asks meanwhile gets the same. */
  readonly #underWay = new Map<string, Promise<SiteGround>>()
  readonly #context: Context

  constructor(context: Context) {
    this.#context = context
  }

  async of({ siteId }: Pick<Actor, 'siteId'>): Promise<SiteGround> {
    const { db } = this.#context
    const setUpNumber = (await logEnds(db, siteId))[0]?.setUpNumber ?? 0
    const kept = this.#kept.get(siteId)
    if (kept?.setUpNumber === setUpNumber) return kept.view
    const key = `${siteId} ${setUpNumber}`
    const underWay = this.#underWay.get(key) ?? this.#read(siteId, setUpNumber).finally(() => this.#underWay.delete(key))
    this.#underWay.set(key, underWay)
    return underWay
  }

  async #read(siteId: string, setUpNumber: number): Promise<SiteGround> {
    const { db, settings } = this.#context
    const setup = await readSiteSetup(db, siteId)
    if (setup === null) throw new Error(`Site ${siteId} is gone`)
    const view = compileSite(setup, settings.port)
    this.#kept.set(siteId, { setUpNumber, view })
    return view
  }

  /**
   * Does work that asks where short links lead: once to hear which, and again when that is known. Only those it asks for are read.
   * @param work - gives the same whenever it is done with the same
   */
  async knowing<T>(ground: SiteGround, work: (site: CompiledSite) => T | Promise<T>): Promise<T> {
    const known = new KnownShortLinks(this.#context.db, ground.setup.siteId)
    for (;;) {
      const done = await work(withShortLinks(ground, known.find))
      if (!(await known.learn())) return done
    }
  }

  /** {@link knowing} for work that is done in another thread. @param run - hands the site on, and what came back */
  async knowingApart<T, F extends string>(
    { setup }: SiteGround,
    run: (site: SentSite) => Promise<Result<DoneWith<T>, F>>,
  ): Promise<Result<T, F>> {
    const { db, settings } = this.#context
    const known = new KnownShortLinks(db, setup.siteId)
    for (;;) {
      const done = await run({ setup, port: settings.port, shortLinks: known.all })
      if (!done.ok) return done
      if (!(await known.learn(done.value.unknown))) return ok(done.value.done)
    }
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
export const writeAudit = (
  db: Database,
  actor: Actor,
  action: string,
  subject: string | null,
  detail: object,
  transaction: Transaction,
): Promise<void> => insertAudit(db, actor, { action, subject, detail }, transaction)

/** A transaction that takes its writes back when its answer is a refusal, and logs what changed when it is not. */
export async function write<R extends { ok: boolean }>(
  db: Database,
  work: (transaction: Transaction, changes: Changes) => Promise<R>,
): Promise<R> {
  let answer: R | undefined
  try {
    return await inTransaction(db, async (transaction) => {
      const changes = new Changes()
      answer = await work(transaction, changes)
      if (!answer.ok) throw new Refused()
      await changes.write(db, transaction)
      return answer
    })
  } catch (error) {
    if (error instanceof Refused && answer !== undefined) return answer
    throw error
  }
}
class Refused extends Error {}

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
