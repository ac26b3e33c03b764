import type { Said, Told } from '../words/index.ts'
import { type Database, rows, type Transaction } from './database.ts'
import { update } from './plain.ts'
import { plannedPublications } from './tables/index.ts'

export interface PlanRow {
  readonly id: string
  readonly at: Date
  readonly pages: readonly string[] | null
  readonly by: string | null
  readonly state: 'planned' | 'done' | 'failed' | 'cancelled'
  readonly message: Said | null
}

const PLAN = `id, due_at AS at, pages, (SELECT name FROM people WHERE people.id = person_id) AS by, state, message`

export function listPlans(db: Database, siteId: string, limit: number): Promise<PlanRow[]> {
  return rows<PlanRow>(
    db,
    `SELECT ${PLAN} FROM planned_publications WHERE site_id = $1 ORDER BY (state = 'planned') DESC, due_at DESC LIMIT $2`,
    [siteId, limit],
  )
}

export async function insertPlan(
  db: Database,
  plan: { siteId: string; at: Date; pages: readonly string[] | null; personId: string },
  transaction: Transaction,
): Promise<PlanRow> {
  const [row] = await rows<PlanRow>(
    db,
    `INSERT INTO planned_publications (site_id, due_at, pages, person_id) VALUES ($1, $2, $3, $4) RETURNING ${PLAN}`,
    [plan.siteId, plan.at, plan.pages, plan.personId],
    transaction,
  )
  if (row === undefined) throw new Error('A plan vanished as it was made')
  return row
}

/** @returns false when there is no such plan, or it has been carried out */
export async function cancelPlan(db: Database, siteId: string, id: string, transaction: Transaction): Promise<boolean> {
  return (await update(db, plannedPublications, { state: 'cancelled' }, { id, siteId, state: 'planned' }, transaction)) > 0
}

/** Takes one plan that is due, so that nobody else does. Null when none is. */
export async function claimPlan(
  db: Database,
): Promise<{ id: string; siteId: string; pages: string[] | null; personId: string | null } | null> {
  const [row] = await rows<{ id: string; siteId: string; pages: string[] | null; personId: string | null }>(
    db,
    `UPDATE planned_publications SET state = 'done' WHERE id = (
       SELECT id FROM planned_publications WHERE state = 'planned' AND due_at <= now() ORDER BY due_at LIMIT 1 FOR UPDATE SKIP LOCKED)
     RETURNING id, site_id AS "siteId", pages, person_id AS "personId"`,
  )
  return row ?? null
}

export async function tellPlan(db: Database, id: string, state: 'done' | 'failed', message: Told): Promise<void> {
  await update(db, plannedPublications, { state, message }, { id })
}
