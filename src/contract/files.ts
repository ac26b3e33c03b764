import { z } from 'zod'
import { Nothing, operation } from './operation.ts'
import { Id, Paging, Version } from './shared.ts'

/** Largest file that is uploaded one by one. */
export const ONE_FILE_MAX_BYTES = 25 * 1024 * 1024

export const SiteFile = z
  .object({
    id: Id,
    path: z.string(),
    address: z.string(),
    mediaType: z.string(),
    bytes: z.int(),
    version: Version,
    state: z.enum(['new', 'live', 'changed', 'removed']).meta({ description: 'new: not published yet, and not readable from outside' }),
    usedOn: z.int(),
  })
  .meta({ id: 'SiteFile' })
export type SiteFile = z.infer<typeof SiteFile>
export const FileQuery = Paging.extend({ search: z.string().max(200).optional() })
export type FileQuery = z.infer<typeof FileQuery>
export const FileList = z.object({ items: z.array(SiteFile), next: z.string().nullable(), total: z.int() })
export type FileList = z.infer<typeof FileList>
export const FileUse = z.object({ id: Id, kind: z.enum(['page', 'block', 'menu']), path: z.string(), title: z.string() })
export const FileUses = z.object({ items: z.array(FileUse) })
export type FileUses = z.infer<typeof FileUses>
/** What readers do with files that are linked from now on. */
export const FileHabit = z.strictObject({ downloads: z.boolean() })
export type FileHabit = z.infer<typeof FileHabit>
export const FileRemoval = z.strictObject({
  version: Version,
  isRemoved: z.boolean(),
  evenIfUsed: z.boolean().default(false),
  leadTo: z.string().max(8_000).optional().meta({ description: 'Where its address leads once it is gone, by a row of redirects' }),
})
export type FileRemoval = z.infer<typeof FileRemoval>

export const files = {
  setHabit: operation({
    method: 'put',
    path: '/files/habit',
    summary: 'Say whether new links to files let readers download or open them',
    needs: 'pages:publish',
    status: 200,
    body: FileHabit,
    answer: FileHabit,
  }),
  list: operation({
    method: 'get',
    path: '/files',
    summary: 'Files in the order of their paths',
    needs: 'pages:read',
    status: 200,
    query: FileQuery,
    answer: FileList,
    shows: ['files'],
  }),
  upload: operation({
    method: 'post',
    path: '/files',
    summary: 'Upload a file (multipart: file)',
    needs: 'pages:edit',
    status: 201,
    answer: SiteFile,
    media: { body: 'multipart/form-data' },
  }),
  replace: operation({
    method: 'put',
    path: '/files/{id}',
    summary: 'Put another file behind the same address (multipart: file)',
    needs: 'pages:edit',
    status: 200,
    answer: SiteFile,
    media: { body: 'multipart/form-data' },
  }),
  uses: operation({
    method: 'get',
    path: '/files/{id}/uses',
    summary: 'Pages, blocks and menus that name a file',
    needs: 'pages:read',
    status: 200,
    answer: FileUses,
    shows: ['pages', 'files'],
  }),
  remove: operation({
    method: 'post',
    path: '/files/{id}/removal',
    summary: 'Take a file away with the next publication, or take that back',
    needs: 'pages:publish',
    status: 200,
    body: FileRemoval,
    answer: z.union([SiteFile, Nothing]),
  }),
} as const
