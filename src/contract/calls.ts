import { OPERATIONS, type OperationName } from './api.ts'
import type { Operation } from './operation.ts'

/** What a client must know of an operation to call it. */
export type Call = Pick<Operation, 'method' | 'path' | 'shows' | 'isQuestion'> & {
  /** Media type of a body that is no JSON. */
  readonly bodyType?: string
}

/**
 * Every operation as plain data. The build puts this file's result in its place (`asResult` in astro.config.mjs), so that a screen
 * need not load what all answers are made of.
 */
export const CALLS = Object.fromEntries(
  OPERATIONS.map(([name, { method, path, shows, isQuestion, media }]) => [
    name,
    { method, path, shows, isQuestion, bodyType: media?.body } satisfies { [K in keyof Call]: Call[K] | undefined },
  ]),
) as Readonly<Record<OperationName, Call>>
