import type { Redirect } from './redirect.ts'
import { RedirectReview, type ReviewSite } from './review.ts'

/**
 * Rows that would never be reached for a row: of those that have to be asked, which all come after "everything under".
 * @param rows - patterns and expressions of the site
 */
export function hiddenBy<R extends Redirect>(row: Redirect, rows: readonly R[], site: Omit<ReviewSite, 'hasPage'>): readonly R[] {
  if (row.match !== 'under') return []
  const review = new RedirectReview({ ...site, hasPage: () => false })
  for (const each of [...rows, row]) review.put({ ...each, isOn: true, version: 0 })
  review.findings()
  const hidden = new Set(review.hiddenBy(row.id))
  return rows.filter(({ id }) => hidden.has(id))
}

/** What a path may be that a row answers, made up where it fits many; null where none comes to mind. Plain: see `plainPath`. */
export function samplePath({ match, from }: Pick<Redirect, 'match' | 'from'>): string | null {
  if (match === 'exact' || match === 'under') return from
  if (match === 'pattern') {
    const path = from
      .replace(/\{([^{}]*)\}[?*+]?/g, '$1')
      .replace(/:[\p{ID_Start}$_][\p{ID_Continue}$]*(?:\([^()]*\))?[?*+]?/gu, 'x1')
      .replace(/\([^()]*\)[?*+]?/g, '1')
      .replaceAll('*', 'x')
    return path.startsWith('/') ? path : null
  }
  const path = from
    .replace(/^\(\?i\)/, '')
    .replace(/^\^|\$$/g, '')
    .replace(/\((?:\?:)?(?:\.|\\w|\[\^\/\])[*+]\??\)\??/g, 'x')
    .replace(/\((?:\?:)?(?:\\d|\[0-9\])(?:[*+]|\{\d+\})?\)/g, '1')
    .replace(/\.[*+]\??/g, 'x')
    .replace(/\\(?=[^\w\s])/g, '')
  return /^\/[^\\^$*+?()[\]{}|]*$/.test(path) ? path : null
}
