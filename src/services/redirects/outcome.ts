import { mayAsk } from '../../contract/operation.ts'
import { type BenchAnswer, redirects as calls, type RedirectAsked, type RedirectOutcome } from '../../contract/redirects.ts'
import { fail, ok, type Result } from '../../core/result.ts'
import { encodedPath, type Redirect, samplePath } from '../../core/routing/index.ts'
import { originOf, type SiteGround } from '../../core/rules/index.ts'
import { asOfNow } from '../../data/delivered.ts'
import { redirectsById } from '../../data/redirects.ts'
import { conditionsOf, defined } from '../conditions.ts'
import type { Actor, Context, SiteViews } from '../context.ts'
import type { redirectBench } from './bench.ts'
import { fieldsOf, PLAIN_REDIRECT, type RedirectFieldFault } from './fields.ts'
import { hiddenRows } from './hidden.ts'

/** Not yet in the table: its rows have ids that are none of ours. */
const UNSAVED = '00000000-0000-0000-0000-000000000000'

/** What stands for whatever is under a path. */
const BELOW = 'an-address'

const isUnderPage = ({ considered }: BenchAnswer, id: string): boolean => considered.some((each) => each.id === id && each.why === 'page')

/** Whether a row puts what it catches into where it leads. */
const isFilled = ({ match, to }: Redirect): boolean => match !== 'exact' && (/\$/.test(to) || (match === 'under' && to.endsWith('/')))

const ENDS = { page: 'page', outside: 'outside', loop: 'round', 'too long': 'round' } as const

/** What a row does for visitors, kept or only tried: the bench is asked about an address that it is for. */
export function redirectOutcome({ db, settings }: Context, views: SiteViews, bench: ReturnType<typeof redirectBench>) {
  return async (
    actor: Actor,
    { id, row: wanted }: RedirectAsked,
  ): Promise<Result<RedirectOutcome, 'forbidden' | 'not-found' | 'address-unreadable' | RedirectFieldFault>> => {
    if (!mayAsk(actor, calls.outcome)) return fail('forbidden')
    const view = await views.of(actor)
    const { siteId } = actor
    const kept = await asOfNow(db, async (transaction) =>
      id === undefined ? null : ((await redirectsById(db, siteId, [id], transaction))[0] ?? null),
    )
    if (kept === null && wanted === undefined) return fail('not-found')
    const fields = fieldsOf(view, {
      ...PLAIN_REDIRECT,
      ...(kept ?? {}),
      ...defined(wanted ?? {}),
      from: wanted?.from ?? kept?.from ?? '',
      hosts: wanted?.hosts ?? (wanted?.host === undefined || wanted.host === '' ? (kept?.hosts ?? []) : [wanted.host]),
      when: wanted?.when === undefined ? (kept?.when ?? {}) : conditionsOf(wanted.when),
    })
    if (!fields.ok) return fields
    const row: Redirect = { ...fields.value, id: kept?.id ?? UNSAVED, order: kept?.place ?? Number.MAX_SAFE_INTEGER }
    const nothing: RedirectOutcome = { state: 'off', address: null, first: null, at: null, lands: null, landsOn: null, hides: null }
    if (!fields.value.isOn) return ok(nothing)
    const nowMs = Date.now()
    const { fromMs, untilMs, languages, devices } = row.when
    if (untilMs !== undefined && untilMs <= nowMs) return ok({ ...nothing, state: 'over', at: new Date(untilMs).toISOString() })
    const hides = await asOfNow(db, (transaction) => hiddenRows(db, view, { row }, transaction))
    const waits = fromMs !== undefined && fromMs > nowMs
    const [address, ...others] = addressesOf(view, row)
    if (address === undefined)
      return ok({ ...nothing, state: waits ? 'not yet' : 'unknown', at: waits ? new Date(fromMs).toISOString() : null, hides })
    const [language, device] = [languages?.[0], devices?.[0]]
    const ask = (at: string) =>
      bench(
        actor,
        { address: at, ...(language === undefined ? {} : { language }), ...(device === undefined ? {} : { device }) },
        { row, nowMs: waits ? fromMs : nowMs },
      )
    let answer = await ask(address)
    // A page at the head of a folder says nothing of what is under it.
    let tried = address
    for (const other of others) {
      if (!answer.ok || !isUnderPage(answer.value, row.id)) break
      tried = other
      answer = await ask(other)
    }
    if (!answer.ok) return answer.fault === 'unknown-host' ? fail('unknown-host', answer.detail) : answer
    const { row: first, rope } = answer.value
    const answers = first?.id === row.id
    const last = rope[rope.length - 1]
    const before =
      rope[0]?.by === 'short link' ? 'short link' : first !== null ? 'row' : isUnderPage(answer.value, row.id) ? 'page' : 'unknown'
    return ok({
      state: !answers ? before : waits ? 'not yet' : 'answers',
      address: tried,
      first: answers || first === null ? null : { id: first.id, from: first.from },
      at: waits ? new Date(fromMs).toISOString() : null,
      // Where what is caught stands in it, the end of an address that was made up is nobody's.
      lands:
        !answers || last === undefined || isFilled(row)
          ? null
          : last.by === 'redirect'
            ? 'gone'
            : (ENDS[last.by as keyof typeof ENDS] ?? 'nothing'),
      landsOn: !answers || rope.length < 2 || isFilled(row) ? null : (last?.address ?? null),
      hides,
    })
  }

  /** Addresses that stand for those that a row is for. */
  function addressesOf({ origin, setup }: SiteGround, row: Redirect): string[] {
    const path = samplePath(row)
    if (path === null) return []
    const [host] = row.hosts
    const names = (row.when.query ?? []).map(({ name, value }) => `${encodeURIComponent(name)}=${encodeURIComponent(value ?? '')}`)
    const at = host === undefined || !setup.hosts.some((each) => each.host === host) ? origin : originOf(host, settings.port)
    const below = row.match === 'under' ? [`${path.endsWith('/') ? path.slice(0, -1) : path}/${BELOW}`] : []
    return [path, ...below].map((each) => `${at}${encodedPath(each)}${names.length === 0 ? '' : `?${names.join('&')}`}`)
  }
}
