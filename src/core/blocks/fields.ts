import { applyPatches, escapeAttribute, escapeText, type Patch, type PatchSet, readAttributes, walkTags } from '../markup/index.ts'

/** A `{{name}}` in a block, and what its value has to be there. */
export interface FieldPlace {
  readonly name: string
  readonly from: number
  readonly to: number
  /** `nowhere`: no value would be safe (a tag's name, an unquoted value, a script, a style, an event). */
  readonly context: 'text' | 'attribute' | 'address' | 'nowhere'
}

/** Why a field is left empty when the block is delivered. */
export interface FieldFault {
  readonly name: string
  readonly why: 'missing' | 'unsafe place' | 'unsafe address'
}

/** The values of a block's fields stand in its source, in a comment that is never delivered. */
const VALUES = /<!--\s*fields:\s*(\{.*?\})\s*-->\s*/s
const FIELD = /\{\{\s*([a-z][a-z0-9_]{0,59})\s*\}\}/gi
/** Attributes whose value is an address that a browser follows or loads. */
const ADDRESSES = new Set([
  'href',
  'src',
  'action',
  'formaction',
  'poster',
  'cite',
  'data',
  'background',
  'longdesc',
  'xlink:href',
  'srcset',
  'ping',
])
/** Attributes whose value is a program or a style. */
const UNSAFE = /^(?:on|style$|srcdoc$|http-equiv$)/
const SAFE_SCHEME = /^(?:https?:|mailto:|tel:)/i

/** Every field of a block in source order, with the context it stands in. */
export function fieldPlaces(source: string): readonly FieldPlace[] {
  const kept = VALUES.exec(source)
  const contexts: { from: number; to: number; context: FieldPlace['context'] }[] = []
  walkTags(source, {
    text(start, end, inert) {
      contexts.push({ from: start, to: end, context: inert ? 'nowhere' : 'text' })
    },
    open(_name, _start, nameEnd) {
      for (const { name, valueStart, valueEnd, quote } of readAttributes(source, nameEnd)) {
        if (quote === '' || UNSAFE.test(name)) continue
        contexts.push({ from: valueStart, to: valueEnd, context: ADDRESSES.has(name) ? 'address' : 'attribute' })
      }
    },
  })
  const found: FieldPlace[] = []
  for (const match of source.matchAll(FIELD)) {
    const from = match.index
    const to = from + match[0].length
    if (kept !== null && from >= kept.index && to <= kept.index + kept[0].length) continue
    const around = contexts.find((each) => each.from <= from && to <= each.to)
    // Behind "<" or "&" even a plain word would become a tag or a reference.
    const isGlued = around?.context === 'text' && /(?:<[/!?]?|&#?x?)$/i.test(source.slice(Math.max(0, from - 4), from))
    found.push({ name: (match[1] ?? '').toLowerCase(), from, to, context: isGlued ? 'nowhere' : (around?.context ?? 'nowhere') })
  }
  return found
}

/** The values that a block's source holds for its fields. */
export function fieldValues(source: string): Readonly<Record<string, string>> {
  try {
    const kept: unknown = JSON.parse(VALUES.exec(source)?.[1] ?? '{}')
    if (typeof kept !== 'object' || kept === null) return {}
    return Object.fromEntries(Object.entries(kept).filter((entry): entry is [string, string] => typeof entry[1] === 'string'))
  } catch {
    return {}
  }
}

/** The patch that writes values down. Those left empty are taken out. */
export function setFieldValues(source: string, values: Readonly<Record<string, string>>): PatchSet {
  const filled = Object.fromEntries(Object.entries(values).filter(([, value]) => value.trim() !== ''))
  // "--" would end the comment, "<" could begin another one.
  const json = JSON.stringify(filled).replaceAll('-', '\\u002d').replaceAll('<', '\\u003c').replaceAll('>', '\\u003e')
  const kept = VALUES.exec(source)
  const insert = Object.keys(filled).length === 0 ? '' : `<!-- fields: ${json} -->\n`
  return [{ from: kept?.index ?? 0, to: kept === null ? 0 : kept.index + kept[0].length, insert }]
}

/**
 * A block with its fields filled in, each written so that it cannot become markup where it stands. A field that is
 * missing, or whose value would not be safe in its place, is left empty and told; it is never delivered raw.
 */
export function filledBlock(source: string): { readonly html: string; readonly faults: readonly FieldFault[] } {
  const values = fieldValues(source)
  const faults: FieldFault[] = []
  const patches: Patch[] = []
  for (const { name, from, to, context } of fieldPlaces(source)) {
    const value = values[name] ?? ''
    const fault = faultOf(source, value, from, context)
    if (fault !== null) faults.push({ name, why: fault })
    patches.push({ from, to, insert: fault !== null ? '' : context === 'text' ? escapeText(value) : escapeValue(value) })
  }
  const kept = VALUES.exec(source)
  if (kept !== null) patches.push({ from: kept.index, to: kept.index + kept[0].length, insert: '' })
  return {
    html: applyPatches(
      source,
      patches.sort((a, b) => a.from - b.from),
    ),
    faults,
  }
}

function faultOf(source: string, value: string, from: number, context: FieldPlace['context']): FieldFault['why'] | null {
  if (context === 'nowhere') return 'unsafe place'
  if (value.trim() === '') return 'missing'
  if (context !== 'address') return null
  // Only at the very start of an address can a value choose the scheme.
  const isStart = /["']\s*$/.test(source.slice(0, from))
  if (/[\u0000-\u0020]/.test(value.trim())) return 'unsafe address'
  return isStart && /^[^/?#]*:/.test(value.trim()) && !SAFE_SCHEME.test(value.trim()) ? 'unsafe address' : null
}

const escapeValue = (value: string): string => escapeAttribute(value.trim()).replaceAll("'", '&#39;').replaceAll('<', '&lt;')
