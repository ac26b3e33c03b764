import { z } from 'zod'
import { tell } from '../words/index.ts'
import { operation } from './operation.ts'
import { Page } from './pages.ts'
import { Id, line, says } from './shared.ts'

export const PartName = z
  .string()
  .trim()
  .toLowerCase()
  .regex(/^[a-z0-9]+(?:-[a-z0-9]+)*$/, says(tell('field.slug')))
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
/** Puts a block on pages, each as a draft. */
export const BlockPut = z.strictObject({
  pages: z.union([z.literal('all'), z.array(Id).min(1).max(20_000)]),
  where: z.enum(['before the text', 'behind the text', 'at the end of the page']),
})
export type BlockPut = z.infer<typeof BlockPut>
export const BlockPlaced = z.object({
  put: z.int(),
  had: z.int().meta({ description: 'Pages that showed it already' }),
  unfit: z.array(z.string()).meta({ description: 'Titles of pages that have no such place' }),
})
export type BlockPlaced = z.infer<typeof BlockPlaced>
/** The pages on which a block really shows. */
export const BlockUses = z.object({ items: z.array(z.object({ id: Id, title: z.string(), path: z.string() })) })
export type BlockUses = z.infer<typeof BlockUses>

export const BlockMade = z.object({ block: Block, replacedOn: z.int() })

export const blocks = {
  list: operation({
    method: 'get',
    path: '/blocks',
    summary: 'Blocks that pages share; edited like pages',
    needs: 'pages:read',
    status: 200,
    answer: BlockList,
    shows: ['pages'],
  }),
  create: operation({
    method: 'post',
    path: '/blocks',
    takes: 'source',
    summary: 'Make a shared block',
    needs: 'pages:publish',
    status: 201,
    body: BlockNew,
    answer: BlockMade,
  }),
  put: operation({
    method: 'post',
    path: '/blocks/{id}/put',
    takes: 'list',
    summary: 'Put a block on all or some pages, as drafts',
    needs: 'pages:publish',
    status: 200,
    body: BlockPut,
    answer: BlockPlaced,
  }),
  uses: operation({
    method: 'get',
    path: '/blocks/{id}/uses',
    summary: 'The pages that a block shows on',
    needs: 'pages:read',
    status: 200,
    answer: BlockUses,
    shows: ['pages'],
  }),
} as const
