import { type Disclosure, inlineDisclosure, shortDisclosure } from '../disclosure/index.ts'
import { type Attribute, attributeNamed, attributeValue, escapeAttribute, inAscii, type Patch } from '../markup/index.ts'
import { hasToken, relTokens } from './rel.ts'

/** What a delivered page says at its paid links, as markup in ASCII; "" for nothing. */
export interface PaidWords {
  /** In front of the first of them. */
  readonly first: string
  /** In front of the words of each. */
  readonly each: string
  /** All of it as plain words, by which a link that was told of is known again. */
  readonly sign: string
}

/** Attribute of a paid link that was told of, with what was said: a page that passes twice is told once. */
const TOLD = 'data-paid-words'

/**
 * What pages of a site say at their paid links; undefined where the site wishes nothing.
 * @param isTheirs - of a page that comes through a front door: nobody knows what comes behind a link, and so all is said in front of it
 */
export function paidWordsOf(disclosure: Disclosure | undefined, isTheirs: boolean): PaidWords | undefined {
  if (disclosure === undefined || (isTheirs && !disclosure.isAtDoors)) return undefined
  const first = isTheirs ? inAscii(inlineDisclosure(disclosure)) : ''
  const each = inAscii(shortDisclosure(disclosure))
  if (first === '' && each === '') return undefined
  return { first, each, sign: `${disclosure.short}${isTheirs ? ` / ${disclosure.text}` : ''}` }
}

/** A link's start tag in a text. */
export interface ToldTag {
  readonly html: string
  readonly attributes: readonly Attribute[]
  readonly element: string
  readonly start: number
  readonly end: number
}

/** The patches with which one page tells of its paid links, asked in their order. Null where there is nothing to say. */
export function tellerOf(words: PaidWords | undefined): ((decision: { readonly rel: string | null }, tag: ToldTag) => Patch[]) | null {
  if (words === undefined) return null
  const sign = inAscii(escapeAttribute(words.sign))
  let isFirst = true
  return ({ rel }, { html, attributes, element, start, end }) => {
    // A part of a picture has no words to stand in front of.
    if (element !== 'a' || !isPaid(rel)) return []
    const said = attributeNamed(attributes, TOLD)
    const first = isFirst ? words.first : ''
    isFirst = false
    if (said !== null && attributeValue(html, said) === words.sign) return []
    const patches: Patch[] = [{ from: end - 1, to: end, insert: `${said === null ? ` ${TOLD}="${sign}"` : ''}>${words.each}` }]
    return first === '' ? patches : [{ from: start, to: start, insert: first }, ...patches]
  }
}

/** @param rel - as it is delivered */
export const isPaid = (rel: string | null): boolean => rel !== null && hasToken(relTokens(rel), 'sponsored')
