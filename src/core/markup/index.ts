export { type Attribute, attributeNamed, attributeValue, escapeAttribute, readAttributes, valueNamed } from './attributes.ts'
export { type EditFault, linkAt, linkPicture, setLink, unwrapLink, wrapLink } from './edit.ts'
export { type ElementSpan, firstElement } from './elements.ts'
export {
  decodeSource,
  type EncodingSource,
  type PatchOrder,
  patchBytes,
  patchSource,
  type SniffedEncoding,
  sniffEncoding,
  writableIn,
} from './encoding.ts'
export { LINK_TEXT_MAX_CHARS, type LinkTag, linkText, type PageLinks, scanLinks } from './links.ts'
export { looksLikeHtml, pageTitle, TITLE_MAX_CHARS } from './page.ts'
export { applyPatches, differenceOf, invertPatches, isApplicable, type Patch, type PatchSet, rebasePatches } from './patch.ts'
export { type Picture, scanPictures } from './pictures.ts'
export { type LinkRewriter, type NotedText, PageReader, type QuickAnswer, type StreamedTag } from './reading.ts'
export {
  type AttributeChanges,
  addedAttribute,
  inOrder,
  type Rewritten,
  rewriteLinks,
  tagPatches,
  type WrittenValue,
  writtenValue,
} from './rewrite.ts'
export { Form, type LinkNote, NO_NUMBER, NOT_NUMBERED, scanner } from './scanner.ts'
export { type FoundWords, findWords, shownPage, shownPlaces, sourceOffset } from './shown.ts'
export { MarkupStream, type StreamOptions, TAG_HOLD_BYTES } from './stream.ts'
export { type TagSink, walkTags } from './tokenizer.ts'
export { namedAddresses } from './uses.ts'
