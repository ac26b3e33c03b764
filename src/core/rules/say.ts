import { type Hint, hintsOf, type RelTokens } from './rel.ts'
import type { Rule } from './rule.ts'

/** How a link is drawn: what search engines are told of it (PRODUCT 4). */
export type Strand = 'vouched' | 'nofollow' | 'sponsored' | 'ugc'

/** The strand of a `rel`. Of several hints the strongest is drawn: paid, then visitor's, then not vouched. */
export function strandOf(rel: RelTokens): Strand {
  const hints = hintsOf(rel)
  if (hints.includes('sponsored')) return 'sponsored'
  if (hints.includes('ugc')) return 'ugc'
  return hints.includes('nofollow') ? 'nofollow' : 'vouched'
}

const KIND_WORDS = {
  'inside page': 'inside pages',
  section: 'sections of a page',
  outside: 'other sites',
  file: 'files',
  mail: 'mail addresses',
  phone: 'phone numbers',
  'short link': 'short links',
  partner: 'partners’ sites',
} as const

const list = (words: readonly string[]): string =>
  words.length < 2 ? (words[0] ?? '') : `${words.slice(0, -1).join(', ')} and ${words[words.length - 1]}`

/** The first half of a rule's sentence: which links, and where. */
export function sayWhich({ which, where }: Rule): string {
  const leads: string[] = []
  if (which.kinds !== undefined && which.kinds.length > 0) leads.push(list(which.kinds.map((kind) => KIND_WORDS[kind])))
  if (which.partner === true) leads.push('partners’ sites')
  if (which.partner === false) leads.push('sites that are no partner’s')
  if (which.sites !== undefined && which.sites.length > 0) leads.push(list(which.sites))
  if (which.address !== undefined && which.address !== '') leads.push(`addresses like ${which.address}`)
  const noun = which.shows === 'picture' ? 'Pictures that link' : which.shows === 'text' ? 'Words that link' : 'Links'
  const origin = which.origin === undefined ? '' : which.origin === 'imported' ? ', brought in from elsewhere,' : ', made here,'
  const place = where.under === undefined || where.under.length === 0 ? '' : ` on pages under ${list(where.under)}`
  return `${noun}${leads.length === 0 ? '' : ` to ${leads.join(' that are ')}`}${origin}${place}`
}

/** What each set of hints means in plain words. */
export function sayHints(hints: readonly Hint[]): string {
  if (hints.length === 0) return 'are vouched for'
  const words: string[] = []
  if (hints.includes('sponsored')) words.push('paid')
  if (hints.includes('ugc')) words.push('a visitor’s')
  if (hints.includes('nofollow')) words.push('not vouched for')
  return `are marked as ${list(words)}`
}

/** The second half: what the rule does. Never empty for a rule that says something. */
export function sayWhat({ what }: Rule): string {
  const parts: string[] = []
  if (what.hints !== undefined) parts.push(sayHints(what.hints))
  if (what.opens !== undefined) parts.push(what.opens === 'new tab' ? 'open a new tab' : 'stay in the same tab')
  if (what.noopener !== undefined) parts.push(what.noopener ? 'carry noopener' : 'carry no noopener')
  if (what.noreferrer !== undefined)
    parts.push(what.noreferrer ? 'do not tell where the reader came from' : 'tell where the reader came from')
  return list(parts)
}
