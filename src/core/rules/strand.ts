import { hintsOf, type RelTokens } from './rel.ts'

/** How a link is drawn: what search engines are told of it (PRODUCT 4). */
export type Strand = 'vouched' | 'nofollow' | 'sponsored' | 'ugc'

/** The strand of a `rel`. Of several hints the strongest is drawn: paid, then visitor's, then not vouched. */
export function strandOf(rel: RelTokens): Strand {
  const hints = hintsOf(rel)
  if (hints.includes('sponsored')) return 'sponsored'
  if (hints.includes('ugc')) return 'ugc'
  return hints.includes('nofollow') ? 'nofollow' : 'vouched'
}
