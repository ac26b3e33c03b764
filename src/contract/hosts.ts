import { z } from 'zod'
import { Id, line, Version } from './shared.ts'

/** A name that visitors ask for: two parts or more, and no port or path. A whole address that was pasted gives its host. */
export const HostName = line(300)
  .toLowerCase()
  .transform((text) => text.replace(/^https?:\/\//, '').replace(/\.?\/*$/, ''))
  .pipe(
    z
      .string()
      .regex(
        /^(?=.{3,253}$)(?:[a-z0-9](?:[a-z0-9-]{0,61}[a-z0-9])?\.)+[a-z0-9](?:[a-z0-9-]{0,61}[a-z0-9])?$/,
        'Write the host alone, such as www.slow-ferry.example',
      ),
  )
/** What stands between a short host and its slugs; "" for nothing. */
export const Prefix = line(30)
  .toLowerCase()
  .regex(/^(?:[a-z0-9]+(?:-[a-z0-9]+)*)?$/, 'A prefix takes small letters, digits, and hyphens between them')

export const Host = z
  .object({
    id: Id,
    host: z.string(),
    kind: z.enum(['site', 'short', 'door']).meta({ description: 'site: pages; short: short links; door: a front door' }),
    prefix: z.string(),
    isMain: z.boolean().meta({ description: 'The one that new links are written with' }),
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
