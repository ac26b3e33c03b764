export {
  type Difference,
  isClosed,
  piecesOf,
  placeOf,
  positionOf,
  sourceOfPage,
  type Writing,
  writingDifference,
  writingOf,
} from './change.ts'
export { writtenAnew } from './check.ts'
export { pageLike } from './like.ts'
export { readPiece, readWriting, type WritingPage } from './read.ts'
export { attributesOf, type BlockAttrs, renamed, schema, wrapOf } from './schema.ts'
export { leadOf, openOf, sourceOf } from './source.ts'
