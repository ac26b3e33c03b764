import type { Redirect, RedirectConditions, RedirectStatus } from './redirect.ts'

/** A row as the review looks at it. */
export interface ReviewRow extends Redirect {
  readonly version: number
  readonly isOn: boolean
}

const NO_HOSTS: readonly string[] = []
const NO_CONDITIONS: RedirectConditions = {}

/**
 * A row as most are: one path, all hosts, no condition, the query passed on, on, and hidden behind pages. What they have in common is
 * said once for all of them: a table may hold a million, and then every field that a row does not carry counts.
 */
class LeanRow implements ReviewRow {
  readonly id: string
  readonly from: string
  readonly to: string
  readonly status: RedirectStatus
  readonly order: number
  readonly version: number

  constructor({ id, from, to, status, order, version }: ReviewRow) {
    this.id = id
    this.from = from
    this.to = to
    this.status = status
    this.order = order
    this.version = version
  }

  get match(): 'exact' {
    return 'exact'
  }
  get hosts(): readonly string[] {
    return NO_HOSTS
  }
  get when(): RedirectConditions {
    return NO_CONDITIONS
  }
  get query(): 'pass' {
    return 'pass'
  }
  get beatsPages(): false {
    return false
  }
  get isOn(): true {
    return true
  }
}

/** A row with all its fields of its own, for whoever goes on with it. */
export const wholeRow = ({ id, from, to, status, order, version, match, hosts, when, query, beatsPages, isOn }: ReviewRow): ReviewRow => ({
  ...{ id, from, to, status, order, version, match, hosts, when, query, beatsPages, isOn },
})

/** The same row, as little of it as tells it. Its fields are read one by one: to spread it would lose those that all have in common. */
export function leanRow(row: ReviewRow): ReviewRow {
  const isPlain =
    row.match === 'exact' &&
    row.isOn &&
    !row.beatsPages &&
    row.query === 'pass' &&
    row.hosts.length === 0 &&
    Object.keys(row.when).length === 0
  if (isPlain) return new LeanRow(row)
  return { ...row, hosts: sharedHosts(row.hosts), when: Object.keys(row.when).length === 0 ? NO_CONDITIONS : row.when }
}

/** Lists of hosts that rows have in common: a site has few. */
const SHARED_MAX = 1_000
const shared = new Map<string, readonly string[]>()
function sharedHosts(hosts: readonly string[]): readonly string[] {
  const name = hosts.join(' ')
  const known = shared.get(name)
  if (known !== undefined) return known
  if (shared.size < SHARED_MAX) shared.set(name, hosts)
  return hosts
}
