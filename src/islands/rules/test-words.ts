import type { AddressKind } from '../../core/address/index.ts'
import type { PartKind } from '../../core/rules/index.ts'

export const KINDS: readonly (readonly [AddressKind, string])[] = [
  ['outside', 'other sites'],
  ['inside page', 'inside pages'],
  ['section', 'sections of a page'],
  ['file', 'files'],
  ['short link', 'short links'],
  ['mail', 'mail addresses'],
  ['phone', 'phone numbers'],
]

export const PARTS: readonly (readonly [PartKind, string])[] = [
  ['page', 'the pages themselves'],
  ['block', 'shared blocks'],
  ['menu', 'menus'],
]
