export { type Attribute, attributeNamed, attributeValue, escapeAttribute, isSpace, readAttributes, valueNamed } from './attributes.ts'
export { type ElementSpan, firstElement, isParagraph } from './elements.ts'
export { Content, isRawElement, Nesting } from './nesting.ts'
export { type TagSink, walkTags } from './tokenizer.ts'
