import { z } from 'zod'
import { TITLE_MAX_CHARS } from '../core/markup/index.ts'
import { Nothing, operation } from './operation.ts'
import { Id, line, Paging, VERSION_MAX, Version } from './shared.ts'

export const PageState = z.enum(['new', 'changed', 'live'])
export const PageKind = z.enum(['page', 'block', 'menu'])
export const Page = z
  .object({
    id: Id,
    kind: PageKind.meta({ description: 'Blocks and menus are shared by pages; their path is "block:name" or "menu:name"' }),
    path: z.string(),
    title: z.string(),
    encoding: z.string(),
    state: PageState.meta({ description: 'new: never published; changed: the draft differs from the live page; live: no difference' }),
    version: Version,
    address: z.string().meta({ description: 'Of the live page' }),
    links: z.int(),
    draftAt: z.iso.datetime(),
    liveAt: z.iso.datetime().nullable(),
    editedBy: z.string().nullable(),
    writtenFor: Id.nullable().meta({ description: 'The partner that the page is written for' }),
    tags: z.array(z.string()),
    cameAs: z.enum(['html', 'markdown']).meta({ description: 'What it was brought in as; a Markdown page is exported as Markdown' }),
    isRemoved: z.boolean().meta({ description: 'Goes from the live site with the next publication' }),
  })
  .meta({ id: 'Page' })
export type Page = z.infer<typeof Page>

export const PageQuery = Paging.extend({
  path: z.string().max(2_000).optional().meta({ description: 'Exactly this path' }),
  search: z.string().max(200).optional().meta({ description: 'Words of the title or path' }),
  state: PageState.optional(),
  kind: PageKind.optional().meta({ description: 'Pages when left out' }),
})
export type PageQuery = z.infer<typeof PageQuery>
export const PageList = z.object({ items: z.array(Page), next: z.string().nullable(), total: z.int() })

/** A page as it is after a save. */
export const PageSaved = Page.extend({
  waiting: z.array(z.string()).meta({ description: 'Outside destinations on it that wait for an editor' }),
})
export type PageSaved = z.infer<typeof PageSaved>

export const PageSource = PageSaved.extend({
  source: z.string().meta({ description: 'The decoded text of the draft; offsets count in its UTF-16 code units' }),
})
export type PageSource = z.infer<typeof PageSource>

/** Longest path of a page, in characters. */
const PATH_MAX_CHARS = 500
export const PageNew = z.strictObject({
  path: z.string().trim().min(1).max(PATH_MAX_CHARS),
  title: line(TITLE_MAX_CHARS).min(1),
  joinsMenus: z.boolean().default(true).meta({ description: 'false: it is left out of the menus that new pages join' }),
  like: Id.optional().meta({ description: 'A page whose look the new one takes over; the site’s front page when left out' }),
})
export type PageNew = z.infer<typeof PageNew>

export const PageRemoval = z.strictObject({
  version: Version,
  isRemoved: z.boolean(),
  leadTo: z.string().max(8_000).optional().meta({ description: 'Where its address leads once it is gone, by a row of redirects' }),
})
export type PageRemoval = z.infer<typeof PageRemoval>

export const PageMove = z.strictObject({
  version: Version,
  path: z.string().trim().min(1).max(PATH_MAX_CHARS),
  leadsOld: z.boolean().default(true).meta({ description: 'Its old address leads to the new one, by a row of redirects' }),
})
export type PageMove = z.infer<typeof PageMove>

export const Revision = z
  .object({
    version: Version,
    title: z.string(),
    madeBy: z.string().meta({ description: 'edit, import, new, restore, accept, refuse, bulk, bake, undo, sub-ids or publication' }),
    by: z.string().nullable(),
    at: z.iso.datetime(),
    isLive: z.boolean(),
  })
  .meta({ id: 'Revision' })
export type Revision = z.infer<typeof Revision>
export const RevisionList = z.object({ items: z.array(Revision) })
export const RevisionQuery = z.object({ version: z.coerce.number().int().positive().max(VERSION_MAX) })
export const RevisionSource = Revision.extend({ source: z.string() })
export type RevisionSource = z.infer<typeof RevisionSource>
export const PageRestore = z.strictObject({ version: Version, revision: Version })
export type PageRestore = z.infer<typeof PageRestore>

export const PresenceSign = z.strictObject({ tab: z.uuid(), isLeaving: z.boolean().default(false) })
export const Presence = z.object({ others: z.array(z.object({ name: z.string(), isMe: z.boolean() })), version: Version.nullable() })
export type Presence = z.infer<typeof Presence>

/** What was written would have been read otherwise than it was shown, and what the editor did. */
export const WritingDiffered = z.strictObject({ how: z.enum(['written anew', 'typed again', 'taken back']) })
export type WritingDiffered = z.infer<typeof WritingDiffered>

/** A heading of a page that can be linked to. `id` is null while it has no name in the page. */
export const Section = z.object({ text: z.string(), level: z.int(), id: z.string().nullable(), start: z.int() })
export type Section = z.infer<typeof Section>
export const SectionList = z.object({ items: z.array(Section) })
export const SectionNaming = z.strictObject({ start: z.int().min(0) })
export const SectionNamed = z.object({ id: z.string(), version: Version })

const Patch = z.strictObject({ from: z.int().min(0), to: z.int().min(0), insert: z.string().max(2_000_000) })

/** Patch sets follow one another: each counts in the text that the one before leads to. */
export const PageChange = z.strictObject({
  version: Version,
  patchSets: z.array(z.array(Patch).max(2_000)).max(1_000),
  tags: z.array(line(60)).max(50).optional().meta({ description: 'All of them; the ones there are stay when left out' }),
  writtenFor: Id.nullable().optional().meta({ description: 'A partner; null for none' }),
})
export type PageChange = z.infer<typeof PageChange>
export type PageList = z.infer<typeof PageList>

export const pages = {
  list: operation({
    method: 'get',
    path: '/pages',
    summary: 'Pages in the order of their paths',
    needs: 'pages:read',
    status: 200,
    query: PageQuery,
    answer: PageList,
    shows: ['pages'],
  }),
  source: operation({
    method: 'get',
    path: '/pages/{id}',
    summary: 'A page with the text of its draft',
    needs: 'pages:read',
    status: 200,
    answer: PageSource,
  }),
  change: operation({
    method: 'patch',
    path: '/pages/{id}',
    takes: 'source',
    summary: 'Put patches on the draft of a page',
    needs: 'pages:edit',
    status: 200,
    body: PageChange,
    answer: PageSaved,
  }),
  create: operation({
    method: 'post',
    path: '/pages',
    takes: 'source',
    summary: 'A new page with the look of another',
    needs: 'pages:edit',
    status: 201,
    body: PageNew,
    answer: Page,
  }),
  remove: operation({
    method: 'post',
    path: '/pages/{id}/removal',
    summary: 'Take a page, block or menu away with the next publication, or take that back',
    needs: 'pages:publish',
    status: 200,
    body: PageRemoval,
    answer: z.union([Page, Nothing]),
  }),
  move: operation({
    method: 'post',
    path: '/pages/{id}/move',
    summary: 'Give a page another address, at once; its old one leads there',
    needs: 'pages:publish',
    status: 200,
    body: PageMove,
    answer: Page,
  }),
  history: operation({
    method: 'get',
    path: '/pages/{id}/history',
    summary: 'Versions of a page, block or menu',
    needs: 'pages:read',
    status: 200,
    answer: RevisionList,
    shows: ['pages'],
  }),
  revision: operation({
    method: 'get',
    path: '/pages/{id}/revision',
    summary: 'One version as text',
    needs: 'pages:read',
    status: 200,
    query: RevisionQuery,
    answer: RevisionSource,
  }),
  restore: operation({
    method: 'post',
    path: '/pages/{id}/restore',
    summary: 'Put an older version on top',
    needs: 'pages:edit',
    status: 200,
    body: PageRestore,
    answer: Page,
  }),
  differed: operation({
    method: 'post',
    path: '/pages/{id}/differed',
    summary: 'Say that the page editor had to mend what was written, for the log',
    needs: 'pages:read',
    status: 204,
    body: WritingDiffered,
    answer: Nothing,
    isQuestion: true,
  }),
  presence: operation({
    method: 'post',
    path: '/pages/{id}/presence',
    summary: 'Say that a page is open, and learn who else has it open',
    needs: 'pages:read',
    status: 200,
    body: PresenceSign,
    answer: Presence,
    isQuestion: true,
  }),
  sections: operation({
    method: 'get',
    path: '/pages/{id}/sections',
    summary: 'Headings of a page that links can lead to',
    needs: 'pages:read',
    status: 200,
    answer: SectionList,
    shows: ['pages'],
  }),
  nameSection: operation({
    method: 'post',
    path: '/pages/{id}/sections',
    summary: 'Give a heading a name that links can lead to',
    needs: 'pages:edit',
    status: 200,
    body: SectionNaming,
    answer: SectionNamed,
  }),
} as const
