export { type FieldFault, type FieldPlace, fieldPlaces, fieldValues, filledBlock, setFieldValues } from './fields.ts'
export { expandParts, isPartName, type PartFinder, partMark, partMarks } from './parts.ts'
export { type PartPlace, placeFor } from './place.ts'
