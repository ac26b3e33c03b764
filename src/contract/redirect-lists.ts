import { z } from 'zod'
import { LIST_FORMATS } from '../core/routing/index.ts'
import { operation } from './operation.ts'
import { Id, JobStarted, Sentence } from './shared.ts'

const Yes = z
  .enum(['1', '0', 'true', 'false'])
  .optional()
  .transform((said) => said === '1' || said === 'true')

/** Most modules or files that are asked about, and characters of a name. */
const ASKED_MAX = 50
const ASKED_NAME_MAX_CHARS = 200
const Names = z
  .string()
  .max(ASKED_MAX * ASKED_NAME_MAX_CHARS)
  .optional()
  .transform((said) => (said ?? '').split(',').filter((name) => name !== ''))

export const RedirectsBulkQuery = z.object({
  as: z.enum(LIST_FORMATS).default('csv').meta({ description: 'httpd and nginx: the redirect lines of a configuration' }),
  dryRun: Yes.meta({ description: 'Only tells what would become of each line' }),
  has: Names.meta({ description: 'Modules that the server has, of those that the report asks about; parted by commas' }),
  hasNot: Names.meta({ description: 'Modules that it does not have' }),
})

/** What a configuration asks for that does not stand in it. */
export const AskedOfServer = z.object({
  what: z.enum(['module', 'file']),
  name: z.string(),
  line: z.int().meta({ description: 'That needs it first' }),
})
export type AskedOfServer = z.infer<typeof AskedOfServer>

/** Rows of a list that the report names one by one; the rest are counted. */
export const REDIRECTS_NAMED_MAX = 1_000
export const REDIRECTS_ASKED_MAX = ASKED_MAX

export const RedirectsBulkItem = z.object({
  line: z.int().meta({ description: 'In the text, from 1' }),
  from: z.string(),
  to: z.string(),
  status: z.int().nullable().meta({ description: 'That the row answers with; null where no row came of it' }),
  outcome: z.enum(['new', 'changed', 'same', 'refused']),
  reason: Sentence.meta({ description: 'Why it is refused, what it said before, or what is to be known of it; "" for nothing' }),
})
export type RedirectsBulkItem = z.infer<typeof RedirectsBulkItem>

export const RedirectsBulkReport = z
  .object({
    isDryRun: z.boolean(),
    /** Tells this report from others. */
    list: z.literal('redirects'),
    new: z.int(),
    changed: z.int(),
    same: z.int(),
    refused: z.int(),
    noted: z.int().meta({ description: 'Rows that are taken, with something to be known of them' }),
    step: Id.nullable().meta({ description: 'By which all of it can be taken back' }),
    asks: z.array(AskedOfServer).default([]).meta({
      description:
        'Modules to be told about (`has`, `hasNot`) and files to be brought in behind the text, each begun by a line “#file NAME”',
    }),
    items: z
      .array(RedirectsBulkItem)
      .meta({ description: 'Refused and changed rows, and those with something to be known of them, the first of each' }),
    moreItems: z.int(),
  })
  .meta({ id: 'RedirectsBulkReport' })
export type RedirectsBulkReport = z.infer<typeof RedirectsBulkReport>

/** What a job of this kind is told. */
export const RedirectsBulkInput = z.object({
  upload: Id,
  as: z.enum(LIST_FORMATS),
  dryRun: z.boolean(),
  has: z.array(z.string()).default([]),
  hasNot: z.array(z.string()).default([]),
})
export type RedirectsBulkInput = z.infer<typeof RedirectsBulkInput>

export const redirectLists = {
  bulk: operation({
    method: 'post',
    path: '/redirects/bulk',
    summary: 'Many redirects at once: CSV with from, to, and optionally status, match, query, host, note; JSON; or a configuration',
    needs: 'redirects:edit',
    status: 202,
    query: RedirectsBulkQuery,
    answer: JobStarted,
    media: { body: 'text/csv' },
  }),
  download: operation({
    method: 'get',
    path: '/exports/redirects',
    summary: 'All redirects as CSV, JSON, or configuration of Apache httpd or nginx',
    needs: ['exports:read', 'redirects:read'],
    status: 200,
    query: z.object({ as: z.enum(LIST_FORMATS).default('csv') }),
    media: { answer: 'text/plain' },
  }),
} as const
