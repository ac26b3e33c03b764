export { ANSWER_MS, type Answer, askOutside, READ_MAX_BYTES } from './ask.ts'
export { OutOfBounds, resolver } from './resolve.ts'
