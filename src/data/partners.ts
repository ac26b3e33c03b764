import { type Transaction, UniqueConstraintError } from 'sequelize'
import type { Database } from './database.ts'
import type { PartnerRow } from './models.ts'

/** Somebody's name is another partner's already. */
export class NameTaken extends Error {}

/** @throws NameTaken */
async function named<T>(work: Promise<T>): Promise<T> {
  try {
    return await work
  } catch (error) {
    throw error instanceof UniqueConstraintError ? new NameTaken() : error
  }
}

/** Partners by name. */
export async function listPartners({ models }: Database, siteId: string): Promise<PartnerRow[]> {
  const found = await models.Partner.findAll({ where: { siteId }, order: ['name'] })
  return found.map((row) => row.get({ plain: true }))
}

/** @throws NameTaken */
export async function insertPartner(
  { models }: Database,
  partner: Pick<PartnerRow, 'siteId' | 'name' | 'sites' | 'linkTemplate' | 'account'>,
  transaction: Transaction,
): Promise<PartnerRow> {
  return (await named(models.Partner.create(partner, { transaction }))).get({ plain: true })
}

/** Writes a change on top of `version`. @returns null when that is not the newest. @throws NameTaken */
export async function updatePartner(
  { models }: Database,
  { id, siteId, version }: Pick<PartnerRow, 'id' | 'siteId' | 'version'>,
  change: Partial<Pick<PartnerRow, 'name' | 'sites' | 'linkTemplate' | 'account'>>,
  transaction: Transaction,
): Promise<PartnerRow | null> {
  const next = { ...change, version: version + 1 }
  const [, [row]] = await named(models.Partner.update(next, { where: { id, siteId, version }, returning: true, transaction }))
  return row?.get({ plain: true }) ?? null
}

/** @returns false when there is no such partner */
export async function removePartner({ models }: Database, siteId: string, id: string, transaction: Transaction): Promise<boolean> {
  return (await models.Partner.destroy({ where: { id, siteId }, transaction })) > 0
}
