import type { Condition, Hint, PartKind, Rule, Test } from '../../core/rules/index.ts'
import { either, list } from '../../words/index.ts'

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

/** One test in words that go on from "Links". */
function sayTest(test: Test, nameOf: (partner: string) => string = (id) => id): string {
  switch (test.is) {
    case 'kind':
      return `to ${list(test.of.map((kind) => KIND_WORDS[kind]))}`
    case 'site':
      return `to ${test.of.length === 0 ? '…' : list(test.of)}`
    case 'partner':
      return test.of === undefined ? 'to partners’ sites' : `to ${either(test.of.map(nameOf))}`
    case 'address':
      return `to addresses like ${test.like === '' ? '…' : test.like}`
    case 'origin':
      return test.of === 'imported' ? 'brought in from elsewhere' : 'made here'
    case 'shows':
      return test.of === 'picture' ? 'that show a picture' : 'that show words'
    case 'under':
      return `on pages under ${test.of.length === 0 ? '…' : either(test.of)}`
    case 'part':
      return `in ${either(test.of.map((kind) => sayPart(kind, test.named ?? [])))}`
    case 'tag':
      return `tagged ${test.of.length === 0 ? '…' : either(test.of.map((tag) => `“${tag}”`))}`
    case 'sponsored page':
      return 'on pages written for a partner'
  }
}

function sayPart(kind: PartKind, named: readonly string[]): string {
  if (kind === 'page') return 'the pages themselves'
  if (named.length === 0) return kind === 'block' ? 'shared blocks' : 'menus'
  return `the ${kind} ${either(named.map((name) => `“${name}”`))}`
}

/** A condition in words that go on from "Links"; "" for every link. */
function sayCondition(condition: Condition, nameOf?: (partner: string) => string): string {
  if ('all' in condition) return condition.all.map((part) => nested(part, nameOf)).join(' and ')
  if ('any' in condition) return condition.any.length === 0 ? '…' : condition.any.map((part) => nested(part, nameOf)).join(', or ')
  if ('not' in condition) return `not ${nested(condition.not, nameOf)}`
  return sayTest(condition, nameOf)
}

function nested(condition: Condition, nameOf?: (partner: string) => string): string {
  const words = sayCondition(condition, nameOf)
  const isGroup = ('all' in condition && condition.all.length > 1) || ('any' in condition && condition.any.length > 1)
  return isGroup ? `(${words})` : words
}

/** The first half of a rule's sentence: which links, and where. */
export function sayWhich({ when }: Rule, nameOf?: (partner: string) => string): string {
  const words = sayCondition(when, nameOf)
  return words === '' ? 'All links' : `Links ${words}`
}

/** What each set of hints means in plain words. */
function sayHints(hints: readonly Hint[]): string {
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
  if (what.referrer !== undefined) parts.push(`carry the referrer policy ${what.referrer}`)
  if (what.mark !== undefined) parts.push(what.mark ? 'get an arrow behind their words' : 'get no arrow')
  if (what.spoken !== undefined)
    parts.push(what.spoken === '' ? 'say nothing more aloud' : `say “${what.spoken}” aloud where they open a new tab`)
  if (what.title !== undefined) parts.push(what.title === '' ? 'lose their title' : `have the title “${what.title}”`)
  return list(parts)
}
