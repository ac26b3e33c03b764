export {
  ADDRESS_KINDS,
  type AddressKind,
  classify,
  classifyUrl,
  isOwnHost,
  isPagePath,
  type Surroundings,
  shortLinkSlug,
} from './classify.ts'
export { ALL_INSIDE, bareHost, type InsideAllowed, isInsideAddress, isInsideEntry, isOutOfBounds, isThisMachine } from './inside.ts'
export { isSameAddress, normalise } from './normalise.ts'
export type { Offer } from './offers.ts'
export { pathSpellings, placesOfPage, ROBOTS_PATH, SITEMAP_PATH, withoutIndex } from './paths.ts'
export { readableAddress } from './readable.ts'
export { ADDRESS_MAX_CHARS, type AddressFault, type Repair, type RepairedAddress, repair } from './repair.ts'
export { parseUrl, siteAddress, siteOf, siteOfHost, withinOrigin } from './site.ts'
