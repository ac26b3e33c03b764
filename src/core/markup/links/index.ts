export { type EditFault, linkAt, linkPicture, setLink, unwrapLink, wrapLink } from './edit.ts'
export { LINK_TEXT_MAX_CHARS, type LinkTag, linkText, type PageLinks, scanLinks } from './links.ts'
export { looksLikeHtml, pageTitle, TITLE_MAX_CHARS } from './page.ts'
export { type Picture, scanPictures } from './pictures.ts'
export {
  type AttributeChanges,
  addedAttribute,
  inOrder,
  type Rewritten,
  rewriteLinks,
  tagPatches,
  valuePatch,
  type WrittenValue,
  writtenValue,
} from './rewrite.ts'
export { type FoundWords, findWords, shownPage, shownPlaces, sourceOffset } from './shown.ts'
export { namedAddresses } from './uses.ts'
