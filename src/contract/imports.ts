import { z } from 'zod'
import { operation } from './operation.ts'
import { Id, JobStarted, Sentence } from './shared.ts'

/** Largest upload, and what it may unpack to. Told in the message that refuses more. */
export const UPLOAD_MAX_BYTES = 300 * 1024 * 1024
export const UNPACKED_MAX_BYTES = 500 * 1024 * 1024
export const ENTRIES_MAX = 20_000
export const FILE_MAX_BYTES = 100 * 1024 * 1024

export const ImportItem = z.object({
  name: z.string().meta({ description: 'As in the upload' }),
  path: z.string().nullable(),
  what: z.enum(['page', 'file']).nullable(),
  outcome: z.enum(['new', 'changed', 'same', 'refused']),
  reason: Sentence.nullable(),
  title: z.string().nullable(),
  encoding: z.string().nullable(),
  links: z.int().nullable(),
  changes: z
    .int()
    .nullable()
    .default(null)
    .meta({ description: "Of the links, those that the site's rules change as the page is delivered" }),
  bytes: z.int(),
})
export type ImportItem = z.infer<typeof ImportItem>

export const ImportReport = z
  .object({
    isDryRun: z.boolean(),
    new: z.int(),
    changed: z.int(),
    same: z.int(),
    refused: z.int(),
    asksFront: z
      .boolean()
      .default(false)
      .meta({ description: 'It holds a front page, which replaces the one there is only when that is said' }),
    folder: z.string().nullable().meta({ description: 'The one folder that everything lies in; can be left off' }),
    items: z.array(ImportItem),
  })
  .meta({ id: 'ImportReport' })
export type ImportReport = z.infer<typeof ImportReport>

/** Pages fetched of a site at most; a larger one comes in as a zip. */
export const CRAWL_MAX = 5_000

/** What a person decides after the dry run. */
const IMPORT_CHOICES = {
  under: z.string().trim().max(300).default('').meta({ description: 'Folder of the site that everything is put under; "" for its root' }),
  joinsMenus: z.boolean().default(false).meta({ description: 'New pages join the menus that new pages join' }),
  replacesFront: z.boolean().default(false).meta({ description: 'The front page may be replaced by the one that comes' }),
}

/** Those of nobody who was asked yet. */
export const NO_CHOICES = { under: '', joinsMenus: false, replacesFront: false } as const

export const ImportInput = z.object({
  /** What was uploaded; of a site or feed that is fetched, under which id what was fetched so far is kept. */
  upload: Id,
  /** Where a site's sitemap, the site itself, or a feed is fetched from. */
  address: z.string().max(2_000).optional(),
  dryRun: z.boolean(),
  leaveOff: z.string().max(500).default(''),
  ...IMPORT_CHOICES,
  name: z.string().max(500),
})
export type ImportInput = z.infer<typeof ImportInput>

export const ImportFetch = z.strictObject({
  address: z.string().trim().min(1).max(2_000).meta({ description: 'Of a site, its sitemap, or a feed (RSS, Atom)' }),
  dryRun: z.boolean().default(true),
})
export type ImportFetch = z.infer<typeof ImportFetch>

export const ImportApply = z.strictObject({
  dryRun: z.boolean().default(false),
  leaveOff: z.string().max(500).optional(),
  under: IMPORT_CHOICES.under.unwrap().optional(),
  joinsMenus: z.boolean().optional(),
  replacesFront: z.boolean().optional(),
})
export type ImportApply = z.infer<typeof ImportApply>

export const imports = {
  start: operation({
    method: 'post',
    path: '/imports',
    summary: 'Bring in a site: a zip, or HTML files (multipart: file, dryRun, leaveOff)',
    needs: 'imports:run',
    status: 202,
    answer: JobStarted,
    media: { body: 'multipart/form-data' },
  }),
  again: operation({
    method: 'post',
    path: '/imports/{id}/apply',
    summary: 'Carry out an import that was looked at in a dry run',
    needs: 'imports:run',
    status: 202,
    body: ImportApply,
    answer: JobStarted,
  }),
  fetch: operation({
    method: 'post',
    path: '/imports/fetch',
    summary: 'Bring in a site by its sitemap, or a feed by its address; politely, and going on where it stopped',
    needs: 'imports:run',
    status: 202,
    body: ImportFetch,
    answer: JobStarted,
  }),
} as const
