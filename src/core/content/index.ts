export { type Advice, anchorAdvice, isBareAddress, saysLittle, type WordedLink, type WrittenAddress, writtenAddresses } from './advice.ts'
export {
  type DeliveredSource,
  deliverBytes,
  deliverSource,
  type PagePlace,
} from './deliver.ts'
export {
  LIST_DEPTH_MAX,
  measureOf,
  PAGE_DEPTH_MAX,
  PAGE_LINKS_MAX,
  PAGE_MAX_BYTES,
  type PageFault,
  type PageMeasure,
  tooMuchOf,
} from './limits.ts'
export { asDelivered, type LinkAsDelivered, type LinkDifference, linkChanges } from './link-changes.ts'
export { isSameNotes, NO_NOTES, type PageNotes } from './notes.ts'
export {
  type FoundPlacement,
  isPageName,
  nameForPath,
  type PageContent,
  pathForName,
  readMenuContent,
  readPage,
  TAG_MAX_CHARS,
  whyNotServed,
} from './page.ts'
export { type Heading, nameHeading, namesIn, scanHeadings } from './sections.ts'
export { sentenceAround } from './sentence.ts'
