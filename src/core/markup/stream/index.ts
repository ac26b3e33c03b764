export { type LinkRewriter, type NotedText, PageReader, type QuickAnswer, type StreamedTag } from './reading.ts'
export { Form, LinkNote, Mode, NO_NUMBER, NOT_NUMBERED, Stop, scanner, startOfReading } from './scanner.ts'
export { MarkupStream, type StreamOptions, TAG_HOLD_BYTES } from './stream.ts'
