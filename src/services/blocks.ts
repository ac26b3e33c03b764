import { type Block, type BlockNew, type BlockPlaced, type BlockPut, type BlockUses, blocks as calls } from '../contract/blocks.ts'
import { mayAsk } from '../contract/operation.ts'
import { filledBlock, partMark, partMarks, placeFor } from '../core/blocks/index.ts'
import { NO_NOTES } from '../core/content/index.ts'
import { decodeSource, type Patch } from '../core/markup/index.ts'
import { fail, ok, type Result } from '../core/result.ts'
import { getBlob } from '../data/contents.ts'
import { draftsHolding, findPage, insertPage, type ListedPage, listPages } from '../data/pages.ts'
import { type Actor, type Context, type SiteViews, write, writeAudit } from './context.ts'
import { newContent, type pagesService, shownPageRow } from './pages/index.ts'

const PAGES_AT_ONCE = 100
/** Blocks shown of one site. */
const BLOCKS_MAX = 500

export function blocksService({ db }: Context, views: SiteViews, pages: ReturnType<typeof pagesService>) {
  const shown = async (actor: Actor, page: ListedPage): Promise<Block> => {
    const { origin } = await views.of(actor)
    const bytes = await getBlob(db, page.draftHash)
    const source = bytes === null ? '' : decodeSource(bytes, page.encoding)
    const name = page.path.slice('block:'.length)
    return {
      ...shownPageRow(page, origin),
      name,
      faults: [...filledBlock(source).faults],
      usedOn: (await usesOf(actor.siteId, name)).length,
    }
  }

  /** Pages and blocks that really show a block: those that only hold its mark in a script or an attribute do not. */
  const usesOf = async (siteId: string, name: string): Promise<{ id: string; title: string; path: string }[]> => {
    const found = await draftsHolding(db, siteId, `block: ${name}`)
    return found
      .filter(({ bytes, encoding }) => shows(decodeSource(bytes, encoding), name))
      .map(({ id, title, path }) => ({ id, title, path }))
  }
  const find = async (actor: Actor, id: string): Promise<ListedPage | null> => {
    const page = await findPage(db, actor.siteId, id)
    return page?.kind === 'block' ? page : null
  }

  return {
    async list(actor: Actor): Promise<Result<{ items: Block[] }, 'forbidden'>> {
      if (!mayAsk(actor, calls.list)) return fail('forbidden')
      const { items } = await listPages(db, { siteId: actor.siteId, kind: 'block', limit: BLOCKS_MAX })
      return ok({ items: await Promise.all(items.map((page) => shown(actor, page))) })
    },

    async uses(actor: Actor, id: string): Promise<Result<BlockUses, 'forbidden' | 'not-found'>> {
      if (!mayAsk(actor, calls.uses)) return fail('forbidden')
      const block = await find(actor, id)
      return block === null ? fail('not-found') : ok({ items: await usesOf(actor.siteId, nameOf(block)) })
    },

    /** Puts a block on pages that do not show it yet; each changes as a draft with a revision of its own. */
    async put(actor: Actor, id: string, { pages: wanted, where }: BlockPut): Promise<Result<BlockPlaced, 'forbidden' | 'not-found'>> {
      if (!mayAsk(actor, calls.put)) return fail('forbidden')
      const block = await find(actor, id)
      if (block === null) return fail('not-found')
      const chosen = wanted === 'all' ? null : new Set(wanted)
      const placed: BlockPlaced = { put: 0, had: 0, unfit: [] }
      for await (const { page, text } of sources(actor)) {
        if (chosen !== null && !chosen.has(page.id)) continue
        if (shows(text, nameOf(block))) placed.had++
        else {
          const patch = placeFor(text, where, partMark('block', nameOf(block)))
          if (patch !== null && (await pages.patch(actor, page, [[patch]])).ok) placed.put++
          else placed.unfit.push(page.title)
        }
      }
      return ok(placed)
    },

    /**
     * Makes a shared block; on request it takes the place of the same source on every page.
     * Each page that changes does so as a draft with a revision of its own.
     */
    async create(
      actor: Actor,
      { name, title, source, replaceSame }: BlockNew,
    ): Promise<Result<{ block: Block; replacedOn: number }, 'forbidden' | 'not-found' | 'name-taken'>> {
      if (!mayAsk(actor, calls.create)) return fail('forbidden')
      const path = `block:${name}`
      const content = newContent(new TextEncoder().encode(source), title, { encoding: 'utf-8', kind: 'block', path, notes: NO_NOTES })
      const made = await write(db, async (transaction, changes) => {
        const id = await insertPage(
          db,
          { siteId: actor.siteId, kind: 'block', path, sourceName: '', content, personId: actor.personId },
          transaction,
        )
        if (id === null) return fail('name-taken', { name })
        changes.add(actor.siteId, 'pages', id, 'made')
        await writeAudit(db, actor, 'blocks:create', id, { name }, transaction)
        return ok(id)
      })
      if (!made.ok) return made
      const replacedOn = replaceSame && source.trim() !== '' ? await replaceEverywhere(actor, source, partMark('block', name)) : 0
      const page = await findPage(db, actor.siteId, made.value)
      return page === null ? fail('not-found') : ok({ block: await shown(actor, page), replacedOn })
    },
  }

  async function replaceEverywhere(actor: Actor, source: string, mark: string): Promise<number> {
    let replaced = 0
    for await (const { page, text } of sources(actor)) {
      const patches: Patch[] = []
      for (let at = text.indexOf(source); at !== -1; at = text.indexOf(source, at + source.length))
        patches.push({ from: at, to: at + source.length, insert: mark })
      if (patches.length > 0 && (await pages.patch(actor, page, [patches])).ok) replaced++
    }
    return replaced
  }

  /** Every page of the site with its draft, some at a time. */
  async function* sources(actor: Actor): AsyncGenerator<{ page: ListedPage; text: string }> {
    for (let after: string | undefined, more = true; more; ) {
      const { items } = await listPages(db, { siteId: actor.siteId, after, limit: PAGES_AT_ONCE })
      for (const page of items) {
        const bytes = await getBlob(db, page.draftHash)
        yield { page, text: bytes === null ? '' : decodeSource(bytes, page.encoding) }
      }
      after = items[items.length - 1]?.path
      more = items.length === PAGES_AT_ONCE
    }
  }
}

const nameOf = ({ path }: ListedPage): string => path.slice('block:'.length)
const shows = (text: string, block: string): boolean => partMarks(text).some(({ kind, name }) => kind === 'block' && name === block)
