import { z } from 'zod'
import { DEVICES } from '../core/clicks/index.ts'
import { QUERY_HABITS, REDIRECT_MATCHES, REDIRECT_STATUSES } from '../core/routing/index.ts'
import { Nothing, operation } from './operation.ts'
import { Id, line, Paging, Version } from './shared.ts'

/** Most hosts, languages and parameters that one row can name, each. */
const NAMED_MAX = 50

export const RedirectStatus = z.union(REDIRECT_STATUSES.map((status) => z.literal(status)))
export const RedirectMatch = z.enum(REDIRECT_MATCHES)
const Query = z.enum(QUERY_HABITS)
const Host = z.string().trim().toLowerCase().max(255)

/** When a row may answer at all. */
export const RedirectWhen = z
  .strictObject({
    query: z
      .array(z.strictObject({ name: z.string().min(1).max(200), value: z.string().max(1_000).nullable() }))
      .max(NAMED_MAX)
      .optional()
      .meta({ description: 'Parameters that have to be there; null for any value' }),
    languages: z
      .array(z.string().regex(/^[a-z]{2,3}$/))
      .max(NAMED_MAX)
      .optional()
      .meta({ description: 'Primary subtags, one of which is the visitor’s first language' }),
    devices: z.array(z.enum(DEVICES)).optional(),
    from: z.iso.datetime().optional().meta({ description: 'From this moment on' }),
    until: z.iso.datetime().optional().meta({ description: 'Before this moment' }),
  })
  .meta({ id: 'RedirectWhen' })
export type RedirectWhen = z.infer<typeof RedirectWhen>

const fields = {
  from: z.string().max(8_000).meta({ description: 'A path, an address of one of the site’s hosts, a URL Pattern, or an RE2 expression' }),
  to: z.string().max(8_000).meta({ description: 'A path of the site, or a full address; empty where the status leads nowhere' }),
  status: RedirectStatus,
  match: RedirectMatch,
  query: Query.meta({ description: 'Whether the query that was asked with is dropped, passed on, or merged' }),
  hosts: z.array(Host).max(NAMED_MAX).meta({ description: 'On which hosts it answers; none for all of the site' }),
  when: RedirectWhen,
  note: line(1_000),
  isOn: z.boolean(),
  beatsPages: z.boolean().meta({ description: 'Answers although a page is published there' }),
}

export const RedirectRow = z
  .object({
    id: Id,
    ...fields,
    hits: z.int().meta({ description: 'By people' }),
    otherHits: z.int().meta({ description: 'By tools, bots and prefetches, and by HEAD' }),
    lastHitOn: z.iso.date().nullable().meta({ description: 'The last day on which somebody came by (UTC)' }),
    version: Version,
    createdAt: z.iso.datetime(),
  })
  .meta({ id: 'Redirect' })
export type RedirectRow = z.infer<typeof RedirectRow>

export const RedirectNew = z
  .strictObject({ ...z.strictObject(fields).partial().shape, from: fields.from, host: Host.optional() })
  .meta({ id: 'RedirectNew' })
export type RedirectNew = z.infer<typeof RedirectNew>

export const RedirectChange = z.strictObject({ version: Version, ...z.strictObject(fields).partial().shape })
export type RedirectChange = z.infer<typeof RedirectChange>

export const RedirectQuery = Paging.extend({ search: z.string().max(200).optional() })
export type RedirectQuery = z.infer<typeof RedirectQuery>
export const RedirectList = z.object({ items: z.array(RedirectRow), next: z.string().nullable(), total: z.int() })

export const redirects = {
  list: operation({
    method: 'get',
    path: '/redirects',
    summary: 'The table of redirects, in its order',
    needs: 'redirects:read',
    status: 200,
    query: RedirectQuery,
    answer: RedirectList,
    shows: ['redirects', 'hosts'],
  }),
  create: operation({
    method: 'post',
    path: '/redirects',
    summary: 'Add a row to the redirects',
    needs: 'redirects:edit',
    status: 201,
    body: RedirectNew,
    answer: RedirectRow,
  }),
  get: operation({
    method: 'get',
    path: '/redirects/{id}',
    summary: 'One row of the redirects',
    needs: 'redirects:read',
    status: 200,
    answer: RedirectRow,
  }),
  change: operation({
    method: 'patch',
    path: '/redirects/{id}',
    summary: 'Change a row of the redirects',
    needs: 'redirects:edit',
    status: 200,
    body: RedirectChange,
    answer: RedirectRow,
  }),
  remove: operation({
    method: 'delete',
    path: '/redirects/{id}',
    summary: 'Take a row of the redirects away',
    needs: 'redirects:edit',
    status: 204,
    answer: Nothing,
  }),
  putBack: operation({
    method: 'post',
    path: '/redirects/{id}/put-back',
    summary: 'Bring a row back that was taken away',
    needs: 'redirects:edit',
    status: 200,
    answer: RedirectRow,
  }),
} as const
