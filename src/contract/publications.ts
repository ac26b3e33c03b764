import { z } from 'zod'
import { Nothing, operation } from './operation.ts'
import { Id, Marks, Sentence } from './shared.ts'

export const PublicationNew = z.union([
  z.strictObject({ all: z.literal(true) }),
  z.strictObject({ pages: z.array(Id).min(1).max(20_000).meta({ description: 'Pages, blocks and menus; files go along' }) }),
])
export type PublicationNew = z.infer<typeof PublicationNew>

/** One link that differs between two versions of a page. `before` is null for a new one, `after` for one that is gone. */
export const LinkChange = z
  .object({
    text: z.string(),
    before: Marks.extend({ href: z.string() }).nullable(),
    after: Marks.extend({ href: z.string() }).nullable(),
  })
  .meta({ id: 'LinkChange' })
export type LinkChange = z.infer<typeof LinkChange>

/** What Map Rope found when it asked the live site for what it had published. */
export const PublicationCheck = z
  .object({
    pages: z.int(),
    links: z.int().meta({ description: 'Changed links that were looked for' }),
    found: z.int(),
    problems: z.array(z.object({ path: z.string(), text: z.string(), href: z.string(), why: Sentence })),
  })
  .meta({ id: 'PublicationCheck' })
export type PublicationCheck = z.infer<typeof PublicationCheck>

export const Publication = z
  .object({
    id: Id,
    number: z.int(),
    at: z.iso.datetime(),
    by: z.string().nullable(),
    pages: z.int(),
    files: z.int(),
    restored: z.int().nullable().meta({ description: 'Number of the publication that this one went back to' }),
    check: PublicationCheck.nullable(),
  })
  .meta({ id: 'Publication' })
export type Publication = z.infer<typeof Publication>
export const PublicationItem = z.object({
  kind: z.enum(['page', 'block', 'menu', 'file']),
  path: z.string(),
  title: z.string(),
  what: z.enum(['new', 'changed', 'removed']),
  links: z.array(LinkChange),
  moreLinks: z.int(),
})
export const PublicationView = Publication.extend({ items: z.array(PublicationItem), moreItems: z.int() }).meta({ id: 'PublicationView' })
export type PublicationView = z.infer<typeof PublicationView>

/** What differs from the live site; what changes links stands first. */
export const Unpublished = z.object({
  pages: z.array(
    z.object({
      id: Id,
      kind: z.enum(['page', 'block', 'menu']),
      path: z.string(),
      title: z.string(),
      isNew: z.boolean(),
      isRemoved: z.boolean(),
      by: z.string().nullable(),
      at: z.iso.datetime(),
      linkChanges: z.int(),
    }),
  ),
  morePages: z.int(),
  byOthers: z.int().meta({ description: 'Of the pages named, those last changed by somebody else' }),
  files: z.int(),
  filePaths: z.array(z.string()).meta({ description: 'The first of the files that go along' }),
  linkChanges: z.int(),
})
export type Unpublished = z.infer<typeof Unpublished>

/** How one draft differs from what is live. */
export const Difference = z.object({
  id: Id,
  links: z.array(LinkChange),
  moreLinks: z.int(),
  before: z.string().nullable(),
  after: z.string().nullable(),
})
export type Difference = z.infer<typeof Difference>

export const PublicationList = z.object({ items: z.array(Publication) })
export type PublicationList = z.infer<typeof PublicationList>

export const PlanNew = z.strictObject({ at: z.iso.datetime({ offset: true }), what: PublicationNew })
export type PlanNew = z.infer<typeof PlanNew>
export const Plan = z
  .object({
    id: Id,
    at: z.iso.datetime(),
    pages: z.int().nullable(),
    by: z.string().nullable(),
    state: z.enum(['planned', 'done', 'failed', 'cancelled']),
    message: Sentence.nullable(),
  })
  .meta({ id: 'Plan' })
export type Plan = z.infer<typeof Plan>
export const PlanList = z.object({ items: z.array(Plan) })
export type PlanList = z.infer<typeof PlanList>

/** What a publication would do, told before it does it. */
export const PublicationReview = z
  .object({
    pages: z.int(),
    files: z.int(),
    items: z.array(z.object({ id: Id, title: z.string(), by: z.string().nullable(), isMine: z.boolean() })),
    byOthers: z.int().meta({ description: 'Pages last changed by somebody else' }),
    missing: z
      .array(z.object({ id: Id, title: z.string(), path: z.string(), from: z.string() }))
      .meta({ description: 'Pages never published that these pages lead to, and one page that does' }),
    menus: z
      .array(z.object({ id: Id, title: z.string(), page: z.string() }))
      .meta({ description: 'Menus whose new entry leads to one of these pages, and which would stay as they are live' }),
    breaks: z
      .array(z.object({ title: z.string(), path: z.string(), pages: z.int(), menus: z.int(), blocks: z.int() }))
      .meta({ description: 'Pages that would go, and how many pages, menus and blocks lead to them' }),
    nowhere: z
      .array(z.object({ pageId: Id, title: z.string(), text: z.string(), address: z.string() }))
      .meta({ description: 'Links that are not live yet and lead to where nothing is' }),
    titles: z
      .array(z.object({ id: Id, title: z.string(), label: z.string() }))
      .meta({ description: 'Titles of menus that are not live yet and have no landing' }),
    unmarked: z
      .array(z.object({ pageId: Id, title: z.string(), text: z.string(), ordinal: z.int(), start: z.int() }))
      .meta({ description: 'Links to partners who pay for them, of which search engines would not be told' }),
  })
  .meta({ id: 'PublicationReview' })
export type PublicationReview = z.infer<typeof PublicationReview>

export const publications = {
  unpublished: operation({
    method: 'get',
    path: '/publications/unpublished',
    summary: 'What differs from the live site',
    needs: 'pages:read',
    status: 200,
    answer: Unpublished,
    shows: ['pages', 'files', 'publications'],
  }),
  review: operation({
    method: 'post',
    path: '/publications/review',
    takes: 'list',
    summary: 'What a publication would take along and what it would break; nothing is published',
    needs: 'pages:publish',
    status: 200,
    body: PublicationNew,
    answer: PublicationReview,
    isQuestion: true,
  }),
  list: operation({
    method: 'get',
    path: '/publications',
    summary: 'Publications, newest first',
    needs: 'pages:read',
    status: 200,
    answer: PublicationList,
    shows: ['publications'],
  }),
  create: operation({
    method: 'post',
    path: '/publications',
    takes: 'list',
    summary: 'Make drafts live',
    needs: 'pages:publish',
    status: 201,
    body: PublicationNew,
    answer: Publication,
  }),
  view: operation({
    method: 'get',
    path: '/publications/{id}',
    summary: 'One publication with what it changed',
    needs: 'pages:read',
    status: 200,
    answer: PublicationView,
    shows: ['publications'],
  }),
  restore: operation({
    method: 'post',
    path: '/publications/{id}/restore',
    summary: 'Bring the live site back to what it was after a publication',
    needs: 'pages:publish',
    status: 201,
    answer: Publication,
  }),
  plans: operation({
    method: 'get',
    path: '/publications/plans',
    summary: 'Publications planned for later',
    needs: 'pages:read',
    status: 200,
    answer: PlanList,
    shows: ['publications'],
  }),
  plan: operation({
    method: 'post',
    path: '/publications/plans',
    takes: 'list',
    summary: 'Publish later',
    needs: 'pages:publish',
    status: 201,
    body: PlanNew,
    answer: Plan,
  }),
  cancelPlan: operation({
    method: 'delete',
    path: '/publications/plans/{id}',
    summary: 'Give up a planned publication',
    needs: 'pages:publish',
    status: 204,
    answer: Nothing,
  }),
  difference: operation({
    method: 'get',
    path: '/pages/{id}/difference',
    summary: 'How a draft differs from what is live',
    needs: 'pages:read',
    status: 200,
    answer: Difference,
    shows: ['pages'],
  }),
} as const
