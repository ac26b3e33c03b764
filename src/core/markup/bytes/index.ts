export {
  decodeSource,
  type EncodingSource,
  isSingleByte,
  type PatchOrder,
  patchBytes,
  patchSource,
  type SniffedEncoding,
  sniffEncoding,
  writableIn,
} from './encoding.ts'
export { applyPatches, differenceOf, invertPatches, isApplicable, type Patch, type PatchSet, rebasePatches } from './patch.ts'
