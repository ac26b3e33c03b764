import { considerRedirects, plainPath, type Redirect, RedirectTable, ROWS_AT_ONE_PATH_MAX, redirectKey } from '../../routing/index.ts'
import type { ReadingSite, ReadRedirect, ReadRedirects, RefusedLine } from './row.ts'

/** A row that was read, with its turn in the program it comes from: what is asked first there. */
export interface RankedRedirect extends ReadRedirect {
  readonly turn: number
  readonly text: string
}

/**
 * Leaves out rows that would answer in another order here than where they come from: for an address of each row it is looked
 * which row answers there, the first in turn, and which does here.
 */
export function keptInOrder(rows: readonly RankedRedirect[], site: ReadingSite): ReadRedirects {
  const refused: RefusedLine[] = []
  const refuse = ({ line, text }: RankedRedirect, reason: string): void => void refused.push({ line, text, reason })
  const table = new RedirectTable(site.tolerance)
  const known = new Map<string, RankedRedirect>()
  const atPath = new Map<string, number>()
  for (const [i, each] of rows.entries()) {
    const row: Redirect = { ...each.draft, id: String(i), order: i }
    const key = `${row.match} ${row.match === 'exact' || row.match === 'under' ? redirectKey(row) : row.from}`
    const beside = (atPath.get(key) ?? 0) + 1
    atPath.set(key, beside)
    const added = beside > ROWS_AT_ONE_PATH_MAX ? null : table.add(row)
    if (added === null) refuse(each, `A path can have ${ROWS_AT_ONE_PATH_MAX} rows, with conditions of their own.`)
    else if (added.ok) known.set(row.id, each)
    else refuse(each, wordsOfFault(added.fault, added.detail))
  }
  const kept: ReadRedirect[] = []
  for (const each of known.values()) {
    const path = sampleOf(each)
    const host = each.draft.hosts[0] ?? site.hosts[0] ?? ''
    const query = (each.draft.when.query ?? []).map(({ name, value }) => `${encodeURIComponent(name)}=${encodeURIComponent(value ?? '')}`)
    const found =
      path === null
        ? []
        : considerRedirects(
            {
              host,
              origin: `http://${host}`,
              isByNameOnly: false,
              path,
              query: query.join('&'),
              language: each.draft.when.languages?.[0] ?? null,
              device: 'computer',
              nowMs: 0,
            },
            table,
            () => false,
          )
    const meant = found.filter(({ answer, why }) => answer !== null || why === 'later').flatMap(({ row }) => known.get(row.id) ?? [])
    const [here] = meant
    const there = meant.reduce<RankedRedirect | undefined>(
      (first, next) => (first === undefined || next.turn < first.turn ? next : first),
      undefined,
    )
    if (here === undefined || there === undefined || here === there) kept.push({ line: each.line, draft: each.draft })
    else if (there === each)
      refuse(each, `Here line ${here.line} would come before it, since it fits more closely; there this line answers first.`)
    else if (here === each) refuse(each, `It never answers there: line ${there.line} comes before it. Here it would.`)
    else if (here.draft.to === there.draft.to && here.draft.status === there.draft.status) kept.push({ line: each.line, draft: each.draft })
    else refuse(each, `It never answers there: line ${there.line} comes before it.`)
  }
  return { rows: kept, refused: refused.sort((a, b) => a.line - b.line) }
}

export const wordsOfFault = (fault: string, detail: Readonly<Record<string, unknown>>): string =>
  fault === 'pattern-needs-memory'
    ? `“${String(detail.part)}” needs an expression that goes back over its steps, which can take for ever. Ours cannot.`
    : fault === 'pattern-unreadable'
      ? `The expression cannot be read: ${String(detail.why)}.`
      : fault === 'destination-group-unknown'
        ? `It puts in “${String(detail.group)}”, which nothing catches.`
        : fault === 'destination-refused'
          ? 'Its destination is no web address, or lets the visitor choose the site.'
          : fault === 'pattern-too-large'
            ? 'The expression is too long.'
            : 'It cannot be read.'

/** An address that a row means; null where none is plain to see. */
function sampleOf({ draft: { match, from } }: ReadRedirect): string | null {
  if (match === 'exact' || match === 'under') return plainPath(from)
  return sampleText(from)
}

/** A text that an expression matches, for plain ones: letters, classes, groups, repeats. */
export function sampleText(source: string): string | null {
  const body = source.replace(/^\(\?i\)/, '')
  const plain = body
    .replace(/^\^/, '')
    .replace(/\$$/, '')
    .replace(/\(\?(?:P?<\w+>|:)/g, '(')
  if (/[|]|\(\?/.test(plain)) return null
  const text = plain
    .replace(/\[\^\/\][+*]?\??/g, 'x')
    .replace(/\[0-9\][+*]?\??|\\d[+*]?\??|\[0-9\]\{\d+(?:,\d*)?\}|\\d\{\d+(?:,\d*)?\}/g, '1')
    .replace(/\[[a-z]-[a-z][^\]]*\][+*]?\??/g, 'a')
    .replace(/\.[+*]\??/g, 'x')
    .replace(/\((?:x|1|a|[\w/-])*\)[?*]/g, '')
    .replace(/[()]/g, '')
    .replace(/\/\?/g, '')
    .replace(/\\([^\w\s])/g, '\0$1')
  if (/(?<!\0)[\\[\]{}*+?^$]/.test(text)) return null
  const unescaped = text.replaceAll('\0', '').replace(/^(?!\/)/, '/')
  return plainPath(unescaped)
}
