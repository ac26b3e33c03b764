import { z } from 'zod'
import { Page } from './pages.ts'
import { line } from './shared.ts'

export const PartName = z
  .string()
  .trim()
  .toLowerCase()
  .regex(/^[a-z0-9]+(?:-[a-z0-9]+)*$/, 'A name takes small letters, digits, and hyphens between them.')
  .max(60)

export const FieldFault = z.object({ name: z.string(), why: z.enum(['missing', 'unsafe place', 'unsafe address']) })

/** A block that pages share, with what is wrong with its fields and how many pages put it in. */
export const Block = Page.extend({ name: z.string(), faults: z.array(FieldFault), usedOn: z.int() }).meta({ id: 'Block' })
export type Block = z.infer<typeof Block>
export const BlockList = z.object({ items: z.array(Block) })
export type BlockList = z.infer<typeof BlockList>

export const BlockNew = z.strictObject({
  name: PartName,
  title: line(120).min(1),
  source: z.string().max(500_000).default(''),
  replaceSame: z.boolean().default(false).meta({ description: 'Also puts the block in wherever a page holds exactly this source' }),
})
export type BlockNew = z.infer<typeof BlockNew>
export const BlockMade = z.object({ block: Block, replacedOn: z.int() })
