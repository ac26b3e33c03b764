import type { AttributeChanges } from '../markup/index.ts'
import { type Answer, BY_HAND } from './facts.ts'
import { type Hint, hintsOf, relTokens, withHints } from './rel.ts'

/** The answers a person gave to the two questions; those left out are left to the rules. */
export interface HandAnswers {
  readonly hints?: readonly Hint[] | undefined
  readonly opens?: 'new tab' | 'same tab' | undefined
}

/**
 * The answers as changes to a link's source. An answer taken back leaves no mark of it behind; other tokens of `rel` stay.
 * @param written - of the tag as it stands; nulls for a new link
 */
export function handChanges(
  written: { readonly rel: string | null; readonly target: string | null; readonly byHand: string | null },
  answers: HandAnswers,
): AttributeChanges {
  const before = relTokens(written.byHand)
  const byHand: Answer[] = []
  const changes: Record<string, string | null> = {}
  if (answers.hints !== undefined || before.includes('hints')) {
    const rel = withHints(relTokens(written.rel), answers.hints ?? [])
    changes.rel = rel.length === 0 ? null : rel.join(' ')
  }
  if (answers.opens !== undefined || before.includes('opens')) changes.target = answers.opens === 'new tab' ? '_blank' : null
  if (answers.hints !== undefined) byHand.push('hints')
  if (answers.opens !== undefined) byHand.push('opens')
  return { ...changes, [BY_HAND]: byHand.join(' ') }
}

/** The answers that stand on a link now. @param written - of the tag as it stands */
export function handAnswersOf(written: {
  readonly rel: string | null
  readonly target: string | null
  readonly byHand: string | null
}): HandAnswers {
  const set = relTokens(written.byHand)
  return {
    ...(set.includes('hints') ? { hints: hintsOf(relTokens(written.rel)) } : {}),
    ...(set.includes('opens') ? { opens: written.target === null ? 'same tab' : 'new tab' } : {}),
  }
}
