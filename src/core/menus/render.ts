import { escapeAttribute, escapeText } from '../markup/index.ts'
import { BY_HAND, handChanges } from '../rules/index.ts'
import type { MenuEntry } from './menu.ts'

/**
 * A menu as nested lists, the way assistive technology reads them. Links carry what was chosen by hand; rules do the rest
 * when the page is delivered. A title without a landing is words, not a link.
 */
export function renderMenu(entries: readonly MenuEntry[]): string {
  if (entries.length === 0) return ''
  return `<ul>${entries.map((entry) => `<li>${renderEntry(entry)}${renderMenu(entry.children)}</li>`).join('')}</ul>`
}

function renderEntry({ href, label, opens, hints }: MenuEntry): string {
  if (href === '') return `<span>${escapeText(label)}</span>`
  const hand = handChanges({ rel: null, target: null, byHand: null }, { opens, hints })
  const attributes = Object.entries({ href, ...hand, [BY_HAND]: hand[BY_HAND] ?? '' })
    .filter((entry): entry is [string, string] => entry[1] !== null)
    .map(([name, value]) => ` ${name}="${escapeAttribute(value)}"`)
  return `<a${attributes.join('')}>${escapeText(label)}</a>`
}
