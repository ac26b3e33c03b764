/** Tokens of a `rel` attribute as written, in order, without repeats (compared without case). */
export type RelTokens = readonly string[]

/** What search engines are told; none of them means: we vouch for it. */
export const HINTS = ['sponsored', 'nofollow', 'ugc'] as const
export type Hint = (typeof HINTS)[number]

/** Splits a `rel` value. Null and "" give no tokens. */
export function relTokens(rel: string | null): RelTokens {
  if (rel === null) return []
  const seen = new Set<string>()
  return rel.split(/[\t\n\f\r ]+/).filter((token) => {
    const key = token.toLowerCase()
    if (key === '' || seen.has(key)) return false
    seen.add(key)
    return true
  })
}

export const hasToken = (tokens: RelTokens, token: string): boolean => tokens.some((each) => each.toLowerCase() === token)

/** Puts a token last; the same list when it is there already. */
export const withToken = (tokens: RelTokens, token: string): RelTokens => (hasToken(tokens, token) ? tokens : [...tokens, token])

/** Takes a token off; the same list when it was not there. */
export const withoutToken = (tokens: RelTokens, token: string): RelTokens =>
  hasToken(tokens, token) ? tokens.filter((each) => each.toLowerCase() !== token) : tokens

/** The hints among the tokens, in the order of {@link HINTS}. */
export const hintsOf = (tokens: RelTokens): readonly Hint[] => HINTS.filter((hint) => hasToken(tokens, hint))

/** Exactly these hints and every other token as it was; the same list when nothing changes. */
export function withHints(tokens: RelTokens, hints: readonly Hint[]): RelTokens {
  let next = tokens
  for (const hint of HINTS) next = hints.includes(hint) ? withToken(next, hint) : withoutToken(next, hint)
  return next
}

/**
 * Tells whether a `target` opens a new tab: `_blank`, or another name that begins with "_" and is no keyword (HTML reserves
 * those; browsers open a tab). Names of frames are not ours to judge and count as the same tab.
 */
export function opensNewTab(target: string | null): boolean {
  const name = (target ?? '').toLowerCase()
  return name.startsWith('_') && name !== '_self' && name !== '_parent' && name !== '_top'
}
