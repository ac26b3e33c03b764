import { parse } from 'csv-parse/sync'
import { stringify } from 'csv-stringify/sync'
import { mayAsk } from '../../contract/operation.ts'
import {
  partners as calls,
  type LogIn,
  PARTNERS_CSV_MAX_CHARS,
  PARTNERS_MAX,
  type Partner,
  type PartnerChange,
  PartnerNew,
  type PartnersIn,
} from '../../contract/partners.ts'
import { toldOf } from '../../contract/problems.ts'
import { says, toldBy } from '../../contract/shared.ts'
import { parseUrl, siteOfHost } from '../../core/address/index.ts'
import { cellOfText, textOfCell } from '../../core/exchange/index.ts'
import { readTemplate, type TemplateFault } from '../../core/partners/index.ts'
import { fail, ok, type Result } from '../../core/result.ts'
import { inTransaction, type Transaction } from '../../data/database.ts'
import {
  countPartners,
  findPartner,
  findPartnerNamed,
  insertPartner,
  keepLogIn,
  listPartners,
  NameTaken,
  ownerOfSites,
  type PartnerFields,
  type PartnerRow,
  readLogIn,
  removePartner,
  updatePartner,
} from '../../data/partners.ts'
import { tell } from '../../words/index.ts'
import { defined } from '../conditions.ts'
import { type Actor, type Context, write, writeAudit } from '../context.ts'
import { openLogIn, sealLogIn } from './log-ins.ts'

const UNREADABLE = { message: says(tell('partner.unreadable')) }

type PartnerFault =
  | TemplateFault
  | 'forbidden'
  | 'not-found'
  | 'moved-on'
  | 'name-taken'
  | 'address-unreadable'
  | 'sites-missing'
  | 'sites-overlap'
  | 'network-unknown'
  | 'partners-too-many'

const shown = (row: PartnerRow): Partner => ({ ...row, sites: [...row.sites] })

/** A partner of whom nothing is known but what people have to say. */
const PLAIN: Omit<PartnerFields, 'name' | 'sites'> = {
  ...{ template: '', account: '', what: '', networkId: null, isNetwork: false, status: 'active', endsOn: null, allows: 'any page' },
  isPaid: null,
  ...{ commission: { kind: 'unknown' }, currency: 'EUR', cookieDays: null, contact: '', notes: '', loginUrl: '' },
  payout: { method: '', every: null, day: null, afterMonths: 1, threshold: 0 },
}

/** A page as people paste it, also without its scheme; null where it is none. */
function pageOf(typed: string): string | null {
  const url = parseUrl(/^[a-z]+:/i.test(typed) ? typed : `https://${typed}`)
  return url !== null && /^https?:$/.test(url.protocol) ? url.href : null
}

/** Sites as people paste them, whole addresses included, as registrable domains. */
function sitesOf(typed: readonly string[]): Result<string[], 'address-unreadable'> {
  const sites: string[] = []
  for (const text of typed) {
    const url = parseUrl(/^[a-z]+:\/\//i.test(text) ? text : `https://${text}`)
    if (url === null || !url.hostname.includes('.')) return fail('address-unreadable', { address: text })
    sites.push(siteOfHost(url.hostname))
  }
  return ok([...new Set(sites)])
}

const CSV_COLUMNS = [
  'name',
  'what',
  'sites',
  'status',
  'network',
  'template',
  'account',
  'currency',
  'cookie days',
  'contact',
  'notes',
  'login page',
  'ends on',
  'paid',
] as const
/** What stands under "paid" in a table; everything else leaves it to the site. */
const PAID_CELLS: ReadonlySet<string> = new Set(['yes', 'no'])
type CsvColumn = (typeof CSV_COLUMNS)[number]

export function partnersService({ db, settings }: Context) {
  /** What was given, as it is kept; what is left out stays as `before` has it. */
  async function fieldsOf(
    actor: Actor,
    id: string | null,
    before: PartnerFields | null,
    given: PartnerNew,
    transaction: Transaction,
  ): Promise<Result<PartnerFields, PartnerFault>> {
    const sites = sitesOf(given.sites)
    if (!sites.ok) return sites
    const fields: PartnerFields = { ...PLAIN, ...before, ...defined(given), name: given.name, sites: sites.value }
    if (fields.sites.length === 0 && !fields.isNetwork) return fail('sites-missing')
    const page = fields.loginUrl === '' ? null : pageOf(fields.loginUrl)
    if (fields.loginUrl !== '' && page === null) return fail('address-unreadable', { address: fields.loginUrl })
    if (fields.template !== '') {
      const read = readTemplate(fields.template, fields.allows)
      if (!read.ok) return read
      if (fields.account === '') return fail('template-without-account', { why: tell('partner.no-number') })
    }
    const owner = await ownerOfSites(db, actor.siteId, fields.sites, id, transaction)
    if (owner !== null) {
      const site = owner.sites.find((each) => fields.sites.includes(each))
      return fail('sites-overlap', { site, why: tell('partner.owns', { site: site ?? '', partner: owner.name }) })
    }
    const network =
      fields.networkId === null || fields.networkId === id ? null : await findPartner(db, actor.siteId, fields.networkId, transaction)
    if (fields.networkId !== null && network?.isNetwork !== true) return fail('network-unknown')
    if (id === null && (await countPartners(db, actor.siteId, transaction)) >= PARTNERS_MAX) return fail('partners-too-many')
    return ok({ ...fields, loginUrl: page ?? '' })
  }

  async function save(actor: Actor, id: string | null, given: PartnerNew, version: number | null): Promise<Result<Partner, PartnerFault>> {
    if (!mayAsk(actor, id === null ? calls.create : calls.change)) return fail('forbidden')
    try {
      return await write(db, async (transaction, changes) => {
        const before = id === null ? null : await findPartner(db, actor.siteId, id, transaction)
        if (id !== null && before === null) return fail('not-found')
        const fields = await fieldsOf(actor, id, before, given, transaction)
        if (!fields.ok) return fields
        const row =
          id === null || version === null
            ? await insertPartner(db, actor.siteId, fields.value, transaction)
            : await updatePartner(db, { id, siteId: actor.siteId, version }, fields.value, transaction)
        if (row === null) return before === null ? fail('not-found') : fail('moved-on', { current: shown(before) })
        changes.add(actor.siteId, 'partners', row.id, id === null ? 'made' : 'changed')
        await writeAudit(
          db,
          actor,
          id === null ? 'partners:create' : 'partners:edit',
          row.id,
          { name: row.name, sites: row.sites },
          transaction,
        )
        return ok(shown(row))
      })
    } catch (error) {
      if (error instanceof NameTaken) return fail('name-taken', { name: given.name })
      throw error
    }
  }

  return {
    async list(actor: Actor): Promise<Result<{ items: Partner[] }, 'forbidden'>> {
      if (!mayAsk(actor, calls.list)) return fail('forbidden')
      return ok({ items: (await listPartners(db, actor.siteId)).map(shown) })
    },

    create: (actor: Actor, given: PartnerNew): Promise<Result<Partner, PartnerFault>> => save(actor, null, given, null),

    change: (actor: Actor, id: string, { version, ...given }: PartnerChange): Promise<Result<Partner, PartnerFault>> =>
      save(actor, id, given, version),

    async remove(actor: Actor, id: string): Promise<Result<null, PartnerFault>> {
      if (!mayAsk(actor, calls.remove)) return fail('forbidden')
      return write(db, async (transaction, changes) => {
        if (!(await removePartner(db, actor.siteId, id, transaction))) return fail('not-found')
        changes.add(actor.siteId, 'partners', id, 'removed')
        await writeAudit(db, actor, 'partners:delete', id, {}, transaction)
        return ok(null)
      })
    },

    /** Hands out a log-in. Who looked, and when, is written down before anything is shown. */
    async reveal(actor: Actor, id: string): Promise<Result<LogIn, 'forbidden' | 'not-found' | 'log-in-sealed'>> {
      if (!mayAsk(actor, calls.reveal)) return fail('forbidden')
      const kept = await readLogIn(db, actor.siteId, id)
      if (kept === null) return fail('not-found')
      const opened = openLogIn(settings.secret, kept.ownerId, kept.sealed)
      await inTransaction(db, (transaction) =>
        writeAudit(db, actor, opened === null ? 'partners:reveal-failed' : 'partners:reveal', id, {}, transaction),
      )
      return opened === null ? fail('log-in-sealed') : ok(opened)
    },

    async keepLogIn(
      actor: Actor,
      id: string,
      { name, password, version }: LogIn & { version: number },
    ): Promise<Result<Partner, PartnerFault>> {
      if (!mayAsk(actor, calls.keepLogIn)) return fail('forbidden')
      // A line end comes along when a password is copied from a mail; no password has one.
      const logIn = { name: name.replace(/[\r\n]+$/, '').trim(), password: password.replace(/[\r\n]+$/, '') }
      const sealed = logIn.name === '' && logIn.password === '' ? null : sealLogIn(settings.secret, id, logIn)
      return write(db, async (transaction, changes) => {
        const row = await keepLogIn(db, { id, siteId: actor.siteId, version }, sealed, transaction)
        if (row === null) {
          const now = await findPartner(db, actor.siteId, id, transaction)
          return now === null ? fail('not-found') : fail('moved-on', { current: shown(now) })
        }
        changes.add(actor.siteId, 'partners', id, 'changed')
        await writeAudit(db, actor, sealed === null ? 'partners:forget-log-in' : 'partners:keep-log-in', id, {}, transaction)
        return ok(shown(row))
      })
    },

    async csv(actor: Actor): Promise<Result<string, 'forbidden'>> {
      if (!mayAsk(actor, calls.csv)) return fail('forbidden')
      const all = await listPartners(db, actor.siteId)
      const names = new Map(all.map(({ id, name }) => [id, name]))
      const rows = all.map(
        (each): Record<CsvColumn, string> => ({
          ...{
            name: each.name,
            what: each.what,
            sites: each.sites.join(' '),
            status: each.status,
            network: names.get(each.networkId ?? '') ?? '',
          },
          ...{ template: each.template, account: each.account, currency: each.currency, 'cookie days': String(each.cookieDays ?? '') },
          ...{ contact: each.contact, notes: each.notes, 'login page': each.loginUrl, 'ends on': each.endsOn ?? '' },
          paid: each.isPaid === null ? '' : each.isPaid ? 'yes' : 'no',
        }),
      )
      return ok(stringify(rows, { header: true, columns: [...CSV_COLUMNS], cast: { string: cellOfText } }))
    },

    /** Partners from a table, known by their names; a bad row is told by its line and stops no other. */
    async bringIn(actor: Actor, text: string): Promise<Result<PartnersIn, 'forbidden' | 'list-unreadable' | 'list-too-long'>> {
      if (!mayAsk(actor, calls.bringIn)) return fail('forbidden')
      if (text.length > PARTNERS_CSV_MAX_CHARS) return fail('list-too-long')
      let records: Record<string, string>[]
      try {
        const layout = {
          columns: (names: string[]) => names.map((name) => name.trim().toLowerCase()),
          bom: true,
          relax_column_count: true,
          skip_empty_lines: true,
          to: PARTNERS_MAX,
        } as const
        records = parse(text, { ...layout, delimiter: [',', ';', '\t'] }) as Record<string, string>[]
      } catch {
        return fail('list-unreadable')
      }
      const done: PartnersIn = { made: 0, changed: 0, refused: [] }
      for (const [i, record] of records.entries()) {
        const cell = (name: CsvColumn): string => textOfCell((record[name] ?? '').trim())
        const before = await findPartnerNamed(db, actor.siteId, cell('name'))
        const network = cell('network') === '' ? null : await findPartnerNamed(db, actor.siteId, cell('network'))
        const read = PartnerNew.safeParse({
          ...{
            name: cell('name'),
            sites: cell('sites')
              .split(/[\s,]+/)
              .filter((each) => each !== ''),
            what: cell('what'),
            template: cell('template'),
            account: cell('account'),
          },
          ...{
            contact: cell('contact'),
            notes: cell('notes'),
            loginUrl: cell('login page'),
            endsOn: cell('ends on') || null,
            networkId: network?.id ?? null,
          },
          ...(cell('status') === '' ? {} : { status: cell('status') }),
          ...(cell('currency') === '' ? {} : { currency: cell('currency') }),
          ...(PAID_CELLS.has(cell('paid').toLowerCase()) ? { isPaid: cell('paid').toLowerCase() === 'yes' } : {}),
          ...(cell('cookie days') === '' ? {} : { cookieDays: Number(cell('cookie days')) }),
        })
        const saved = read.success
          ? await save(actor, before?.id ?? null, read.data, before?.version ?? null)
          : fail('invalid-body' as const)
        if (saved.ok) done[before === null ? 'made' : 'changed']++
        else
          done.refused.push({
            line: i + 2,
            reason: read.success ? toldOf(saved.fault, saved.detail) : toldBy(read.error.issues[0] ?? UNREADABLE),
          })
      }
      return ok(done)
    },
  }
}
