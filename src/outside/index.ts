export { ANSWER_MS, type Answer, type Asking, askOutside, READ_MAX_BYTES, type Validators } from './ask.ts'
export { OutOfBounds, resolver } from './resolve.ts'
