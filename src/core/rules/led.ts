import {
  encodedPath,
  isConditional,
  pathKey,
  plainPath,
  type Redirect,
  type RedirectMatch,
  RedirectTable,
  redirectsInTurn,
  TOLERANCE,
  type Tolerance,
} from '../routing/index.ts'

/**
 * A row that leads to a partner, straight or by way of others, or one that stands before such a row. `to` is where it leads
 * once its short link is followed; "" where it leads nowhere. `mayPass`: only some visitors are led by it, by its condition.
 */
export type LedRow = readonly [
  match: RedirectMatch,
  from: string,
  to: string,
  beatsPages: boolean,
  mayPass: boolean,
  hosts: readonly string[],
]

/** As much of a site's redirects and pages as it takes to tell which of its own addresses lead to partners. */
export interface LedAway {
  /** In the order of the table. */
  readonly rows: readonly LedRow[]
  /** Paths at which pages are published that such rows would hide. */
  readonly pages: readonly string[]
}

/** Most rows, and most pages, that links are held against; see `led_away` in the schema. */
export const LED_AWAY_MAX = 5_000

/** Finds where addresses of our own lead that redirects answer. */
export interface LedAddresses {
  /** Every address that visitors may be sent on to, in the order in which rows are asked. @param url - of a host of the site's pages */
  waysOn(url: URL): Iterable<string>
  /** Whether a link that is written so may be one of them: by the end of its path alone, so that most are told at once. */
  mayBe(href: string): boolean
}

/** What ends a path: its last segment, in small letters. */
function endOf(href: string): string {
  let end = href.search(/[?#]/)
  if (end === -1) end = href.length
  while (end > 0 && href[end - 1] === '/') end--
  return href.slice(href.lastIndexOf('/', end - 1) + 1, end).toLowerCase()
}
/** A link that is written so says nothing of where it ends. */
const DOTS: readonly string[] = ['', '.', '..']

/** A condition that always holds: the row is asked before those without one, and those behind it are asked as well. */
const FOR_SOME = { fromMs: 0 }

/**
 * @param doors - hosts on which a row answers only if it names them
 * @returns undefined where there are none
 */
export function ledAddresses(
  { rows, pages }: LedAway,
  tolerance: Tolerance = TOLERANCE,
  doors: ReadonlySet<string> = new Set(),
): LedAddresses | undefined {
  if (rows.length === 0) return undefined
  const isExact = rows.every(([match]) => match === 'exact')
  const ends = new Set([...DOTS, ...rows.flatMap(([, from]) => [endOf(from), endOf(encodedPath(plainPath(from)))])])
  let ready: { readonly table: RedirectTable; readonly pages: ReadonlySet<string> } | null = null
  // Patterns are compiled when the first link asks for them: most set-ups are read by those who ask for none.
  const prepared = (): NonNullable<typeof ready> =>
    (ready ??= { table: tableOf(rows, tolerance), pages: new Set(pages.map((path) => pathKey(path, tolerance))) })
  return {
    mayBe: (href) => !isExact || href.includes('%') || href.includes('&') || ends.has(endOf(href)),
    *waysOn({ pathname, search, hostname, origin }) {
      const { table, pages } = prepared()
      const path = plainPath(pathname)
      const asked = {
        host: hostname,
        origin,
        isByNameOnly: doors.has(hostname),
        path,
        query: search.slice(1),
        language: null,
        device: 'other',
        nowMs: 0,
      } as const
      for (const { row, location } of redirectsInTurn(asked, table, () => pages.has(pathKey(path, tolerance)))) {
        if (location !== null) yield location
        if (!isConditional(row.when)) return
      }
    },
  }
}

function tableOf(rows: readonly LedRow[], tolerance: Tolerance): RedirectTable {
  const table = new RedirectTable(tolerance)
  for (const [order, [match, from, to, beatsPages, mayPass, hosts]] of rows.entries()) {
    const row: Redirect = {
      id: String(order),
      match,
      from,
      to,
      hosts,
      order,
      beatsPages,
      when: mayPass ? FOR_SOME : {},
      status: to === '' ? 410 : 302,
      query: 'drop',
    }
    table.add(row) // what cannot be read answers nobody
  }
  return table
}
