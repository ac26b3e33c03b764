import { compareRedirects, encodeText, leadsOn, readyRedirect, type Tolerance } from '../../routing/index.ts'
import type { RedirectDraft, Unsaid } from './row.ts'
import { asAddress, conditionFault, escapedText, expressionOf, habitOf, piecesOf } from './written.ts'

/**
 * Writes rows as configuration of Apache httpd 2.4 (mod_rewrite), for a server or a virtual host, in the order in which rows are
 * asked here. What cannot be written there is told, and stands in the file as a comment.
 * @param drafts - in the order of the table
 */
export function writeHttpd(drafts: readonly RedirectDraft[], tolerance: Tolerance): { text: string; unsaid: readonly Unsaid[] } {
  const unsaid: Unsaid[] = []
  const lines: string[] = []
  for (const draft of inOrder(drafts, tolerance)) {
    const rule = ruleOf(draft, tolerance)
    if (typeof rule === 'string') unsaid.push({ draft, reason: rule })
    else lines.push(...rule)
  }
  const head = [
    '# Redirects for Apache httpd 2.4, for the configuration of a server or a virtual host (mod_rewrite).',
    '# Published pages are not known here: a rule answers wherever it matches.',
    'RewriteEngine On',
  ]
  return { text: `${[...head, ...lines, ...commentsOf(unsaid)].join('\n')}\n`, unsaid }
}

/** Rows in the order in which they are asked; those that are off, or cannot be read, are left out. */
export function inOrder(drafts: readonly RedirectDraft[], tolerance: Tolerance): RedirectDraft[] {
  return drafts
    .flatMap((draft, order) => {
      const ready = draft.isOn ? readyRedirect({ ...draft, id: String(order).padStart(9, '0'), order }, tolerance) : null
      return ready?.ok === true ? [{ draft, ready: ready.value }] : []
    })
    .sort((a, b) => compareRedirects(a.ready, b.ready))
    .map(({ draft }) => draft)
}

export const commentsOf = (unsaid: readonly Unsaid[]): string[] =>
  unsaid.map(({ draft, reason }) => `# Left out: ${oneLine(draft.from)} to ${oneLine(draft.to)}. ${reason}`)

const oneLine = (text: string): string => text.replace(/\p{Cc}/gu, ' ')

/** @returns the lines of one row, or why it cannot be written */
function ruleOf(draft: RedirectDraft, tolerance: Tolerance): string[] | string {
  const { status, when, hosts, to } = draft
  const fault = conditionFault(draft)
  if (fault !== null) return fault
  const match = expressionOf(draft, tolerance)
  if (match === null || /\p{Cc}/u.test(match.source + to)) return 'Its expression cannot be written.'
  const conditions: string[] = []
  if (hosts.length > 0) conditions.push(`RewriteCond %{HTTP_HOST} ^(?:${hosts.map(escapedText).join('|')})(?::\\d+)?$ [NC]`)
  for (const { name, value } of when.query ?? []) {
    const pair = value === null ? `${encoded(name)}(?:=[^&]*)?` : `${encoded(name)}${value === '' ? '=?' : `=${encoded(value)}`}`
    conditions.push(`RewriteCond %{QUERY_STRING} (?:^|&)${pair}(?:&|$)`)
  }
  if (when.noOtherQuery === true) {
    const names = (when.query ?? []).map(({ name }) => encoded(name))
    conditions.push(
      names.length === 0 ? 'RewriteCond %{QUERY_STRING} ^$' : `RewriteCond %{QUERY_STRING} ^(?:(?:${names.join('|')})(?:=[^&]*)?(?:&|$))*$`,
    )
  }
  if ((when.languages ?? []).length > 0)
    conditions.push(`RewriteCond %{HTTP:Accept-Language} ^\\s*(?:${when.languages?.join('|')})(?:[-;,\\s]|$) [NC]`)
  const source = `${tolerance.ignoresCase ? '(?i)' : ''}${match.source}`
  if (!leadsOn(status)) return [...conditions, `RewriteRule "${source}" "-" [R=${status},L]`]
  const habit = habitOf(draft.query, to)
  if (habit === null) return 'It merges the query with one of its own.'
  if (to.includes('#') && habit !== 'drop') return 'The query would be put behind its “#”.'
  const pieces = piecesOf(draft, match)
  if (pieces === null) return 'Its destination takes a group that cannot be written.'
  const hasGroups = pieces.some((piece) => typeof piece === 'number')
  const flags = [`R=${status}`, 'L', ...(habit === 'drop' ? ['QSD'] : habit === 'behind' ? ['QSA'] : [])]
  if (!hasGroups) return [...conditions, `RewriteRule "${source}" "${literal(asAddress(pieces.join('')))}" [${[...flags, 'NE'].join(',')}]`]
  if (habit === 'behind' || /[?#]/.test(to)) return 'It puts what was caught beside a query, which the server would encode twice.'
  // What is caught is encoded by the server, and everything else with it: so that stands there as people read it.
  const dest = pieces.map((piece) => (typeof piece === 'number' ? `$${piece}` : literal(readable(piece)))).join('')
  if (/%[0-9A-Fa-f]{2}/.test(dest)) return 'Its destination holds an escape that the server would encode twice.'
  return [...conditions, `RewriteRule "${source}" "${dest}" [${flags.join(',')}]`]
}

const encoded = (text: string): string => escapedText(encodeText(text))
/** Signs that mod_rewrite takes for its own in a destination. */
const literal = (text: string): string => text.replace(/[\\$%"]/g, (sign) => (sign === '%' ? '\\%' : `\\${sign}`))

function readable(text: string): string {
  try {
    return decodeURI(text)
  } catch {
    return text
  }
}
