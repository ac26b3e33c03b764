import { z } from 'zod'
import { tell } from '../words/index.ts'
import { Nothing, operation } from './operation.ts'
import { Id, line, says, Version } from './shared.ts'

/** A name that visitors ask for: two parts or more, and no port or path. A whole address that was pasted gives its host. */
export const HostName = line(300)
  .toLowerCase()
  .transform((text) => text.replace(/^https?:\/\//, '').replace(/\.?\/*$/, ''))
  .pipe(
    z
      .string()
      .regex(/^(?=.{3,253}$)(?:[a-z0-9](?:[a-z0-9-]{0,61}[a-z0-9])?\.)+[a-z0-9](?:[a-z0-9-]{0,61}[a-z0-9])?$/, says(tell('field.host'))),
  )
/** What stands between a short host and its slugs; "" for nothing. */
export const Prefix = line(30)
  .toLowerCase()
  .regex(/^(?:[a-z0-9]+(?:-[a-z0-9]+)*)?$/, says(tell('field.prefix')))

export const Host = z
  .object({
    id: Id,
    host: z.string(),
    kind: z.enum(['site', 'short', 'door']).meta({ description: 'site: pages; short: short links; door: a front door' }),
    prefix: z.string(),
    isMain: z.boolean().meta({ description: 'The one that new links are written with' }),
    missingTo: z.string().meta({
      description: 'Where a missing page leads: a path or address; "page" for the page that says so; "" for what hosts of its kind do',
    }),
    origin: z.string().nullable().meta({ description: 'Of a front door: where the existing site answers' }),
    address: z.string(),
    version: Version,
  })
  .meta({ id: 'Host' })
export type Host = z.infer<typeof Host>
export const HostList = z.object({ items: z.array(Host) })
export type HostList = z.infer<typeof HostList>

export const HostNew = z.strictObject({ kind: z.enum(['site', 'short']), host: HostName, prefix: Prefix.optional() })
export type HostNew = z.infer<typeof HostNew>
export const HostChange = z.strictObject({
  version: Version,
  host: HostName.optional(),
  prefix: Prefix.optional(),
  isMain: z.literal(true).optional(),
  missingTo: z.string().trim().max(2_000).optional(),
})
export type HostChange = z.infer<typeof HostChange>

/** What stops working when a host goes, or gets another name. */
export const HostUses = z.object({
  shortLinks: z.int().meta({ description: 'Short links that answer on it' }),
  clicks: z.int().meta({ description: 'Clicks of people on those, ever' }),
  pages: z.int().meta({ description: 'Live pages that answer on it' }),
  links: z.int().meta({ description: 'Links in pages, blocks and menus that name it' }),
  linkPages: z.int().meta({ description: 'On how many pages those stand' }),
})
export type HostUses = z.infer<typeof HostUses>

export const hosts = {
  list: operation({
    method: 'get',
    path: '/hosts',
    summary: 'The hosts the site answers on',
    needs: 'hosts:read',
    status: 200,
    answer: HostList,
    shows: ['hosts'],
  }),
  make: operation({
    method: 'post',
    path: '/hosts',
    summary: 'Answer on one more host, for pages or short links',
    needs: 'hosts:edit',
    status: 201,
    body: HostNew,
    answer: Host,
  }),
  change: operation({
    method: 'patch',
    path: '/hosts/{id}',
    summary: 'Call a host otherwise, change its prefix, or make it the main one',
    needs: 'hosts:edit',
    status: 200,
    body: HostChange,
    answer: Host,
  }),
  remove: operation({
    method: 'delete',
    path: '/hosts/{id}',
    summary: 'Answer on a host no longer; its short links are kept with it',
    needs: 'hosts:edit',
    status: 204,
    answer: Nothing,
  }),
  putBack: operation({
    method: 'post',
    path: '/hosts/{id}/put-back',
    summary: 'Answer again on a host that was taken away',
    needs: 'hosts:edit',
    status: 200,
    answer: Host,
  }),
  uses: operation({
    method: 'get',
    path: '/hosts/{id}/uses',
    summary: 'What stops working when a host goes or is called otherwise',
    needs: 'hosts:read',
    status: 200,
    answer: HostUses,
    shows: ['hosts'],
  }),
} as const
