export { type Difference, isClosed, piecesOf, placeOf, positionOf, sourceOfPage, writingDifference, writingPatch } from './change.ts'
export { readPiece, readWriting, type WritingPage } from './read.ts'
export { attributesOf, type BlockAttrs, renamed, schema, wrapOf } from './schema.ts'
export { leadOf, sourceOf } from './source.ts'
