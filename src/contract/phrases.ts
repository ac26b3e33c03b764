import { z } from 'zod'
import { NOT_CHOSEN } from '../core/phrases/index.ts'
import { Nothing, operation } from './operation.ts'
import { Id, line, Sentence } from './shared.ts'

/** Most phrases of a site, inclusive. */
export const PHRASES_MAX = 20_000

export const Phrase = z
  .object({
    id: Id,
    words: z.string(),
    destination: z.string(),
    partnerId: Id.nullable(),
    priority: z.int(),
    refused: z.int().meta({ description: 'Pages on which it is never to be linked' }),
    isRefusedEverywhere: z.boolean(),
  })
  .meta({ id: 'Phrase' })
export type Phrase = z.infer<typeof Phrase>
const Priority = z.int().min(1).max(5)
export const PhrasesNew = z.strictObject({
  destination: line(8_000).min(1).meta({ description: 'A page of a partner’s, a short link, or an inside page' }),
  words: z.array(line(200).min(1)).min(1).max(500),
  priority: Priority.default(3),
})
export type PhrasesNew = z.infer<typeof PhrasesNew>
export const PhrasesMade = z.object({ items: z.array(Phrase), refused: z.array(z.object({ words: z.string(), reason: Sentence })) })
export type PhrasesMade = z.infer<typeof PhrasesMade>
export const PhraseChange = z.strictObject({ priority: Priority })
export const PhraseQuery = z.object({ partnerId: Id.optional(), limit: z.coerce.number().int().min(1).max(2_000).default(500) })
export const PhraseList = z.object({ items: z.array(Phrase), total: z.int() })
export type PhraseList = z.infer<typeof PhraseList>
export const PhraseIdeasQuery = z.object({ destination: line(8_000).min(1) })
export const PhraseIdeas = z.object({ items: z.array(z.object({ words: z.string(), why: Sentence })) })
export type PhraseIdeas = z.infer<typeof PhraseIdeas>

const Where = z.object({
  phraseId: Id,
  phrase: z.string(),
  sentence: z.object({ before: z.string(), words: z.string(), behind: z.string() }),
  leadsTo: z.string(),
  isPaid: z.boolean(),
  value: z.number(),
  why: Sentence,
  from: z.int().meta({ description: 'In the page’s source, in UTF-16 code units' }),
  to: z.int(),
})
export const Suggested = Where.meta({ id: 'SuggestedLink' })
export type Suggested = z.infer<typeof Suggested>
export const PagePhrases = z
  .object({
    chosen: z.array(Suggested),
    left: z.array(z.object({ phrase: z.string(), why: z.enum(NOT_CHOSEN) })),
    room: z.object({ page: z.int(), used: z.int(), paragraphs: z.array(z.object({ paragraph: z.int(), used: z.int() })) }),
  })
  .meta({ id: 'PagePhrases' })
export type PagePhrases = z.infer<typeof PagePhrases>

export const PageWithPhrases = PagePhrases.extend({
  pageId: Id,
  path: z.string(),
  title: z.string(),
  version: z.int(),
  visits: z.int().meta({ description: 'Views by people in the last 28 days, where pages are counted' }),
})
export type PageWithPhrases = z.infer<typeof PageWithPhrases>
export const PhraseReviewQuery = z.object({
  job: Id.optional().meta({ description: 'A new id: under it GET /jobs/{id} tells how far it is' }),
})
export const PhraseReview = z.object({ pages: z.array(PageWithPhrases), suggestions: z.int(), looked: z.int() })
export type PhraseReview = z.infer<typeof PhraseReview>

export const PhraseAccepted = z.strictObject({
  phraseId: Id,
  version: z.int().positive(),
  from: z.int().min(0),
  to: z.int().min(1),
  nth: z.int().min(0).optional(),
  words: line(300).min(1).optional().meta({ description: 'Other words of the same sentence, to be linked instead' }),
})
export type PhraseAccepted = z.infer<typeof PhraseAccepted>
export const PhraseTaken = z.object({ version: z.int(), address: z.string() })
export type PhraseTaken = z.infer<typeof PhraseTaken>
export const PhraseRefused = z.strictObject({ pageId: Id.nullable().meta({ description: 'null: on no page' }) })

const Weight = z.int().min(0).max(10)
export const PhraseWeights = z
  .strictObject({ priority: Weight, earns: Weight, early: Weight, fitting: Weight })
  .meta({ description: 'How much counts: the phrase’s own priority, what its links earn, how early it stands, how closely it fits' })
export type PhraseWeights = z.infer<typeof PhraseWeights>

export const phrases = {
  list: operation({
    method: 'get',
    path: '/phrases',
    summary: 'Phrases worth linking',
    needs: 'partners:read',
    status: 200,
    query: PhraseQuery,
    answer: PhraseList,
    shows: ['phrases'],
  }),
  create: operation({
    method: 'post',
    path: '/phrases',
    takes: 'list',
    summary: 'Add phrases for one destination',
    needs: 'partners:edit',
    status: 201,
    body: PhrasesNew,
    answer: PhrasesMade,
  }),
  change: operation({
    method: 'patch',
    path: '/phrases/{id}',
    summary: 'Change how much a phrase counts',
    needs: 'partners:edit',
    status: 200,
    body: PhraseChange,
    answer: Phrase,
  }),
  remove: operation({
    method: 'delete',
    path: '/phrases/{id}',
    summary: 'Remove a phrase',
    needs: 'partners:edit',
    status: 204,
    answer: Nothing,
  }),
  refuse: operation({
    method: 'post',
    path: '/phrases/{id}/refusals',
    summary: 'Never suggest a phrase on a page, or anywhere',
    needs: 'pages:edit',
    status: 204,
    body: PhraseRefused,
    answer: Nothing,
  }),
  allow: operation({
    method: 'delete',
    path: '/phrases/{id}/refusals',
    summary: 'Suggest a phrase again, everywhere',
    needs: 'pages:edit',
    status: 204,
    answer: Nothing,
  }),
  ideas: operation({
    method: 'get',
    path: '/phrases/ideas',
    summary: 'Words that a destination is known by: of its title, and of links that lead there',
    needs: ['partners:read', 'pages:read'],
    status: 200,
    query: PhraseIdeasQuery,
    answer: PhraseIdeas,
    shows: ['pages'],
  }),
  ofPage: operation({
    method: 'get',
    path: '/pages/{id}/phrases',
    summary: 'The best links for a page that its limits allow, and why the others are left',
    needs: ['pages:read', 'partners:read'],
    status: 200,
    answer: PagePhrases,
    shows: ['phrases', 'partners', 'pages'],
  }),
  review: operation({
    method: 'get',
    path: '/phrases/review',
    summary: 'The best links for every page, pages that are read most first',
    needs: ['pages:read', 'partners:read'],
    status: 200,
    query: PhraseReviewQuery,
    answer: PhraseReview,
    shows: ['phrases', 'partners', 'pages'],
  }),
  accept: operation({
    method: 'post',
    path: '/pages/{id}/phrases',
    summary: 'Link a phrase on a page, as a draft',
    needs: ['pages:read', 'pages:edit', 'partners:read'],
    status: 200,
    body: PhraseAccepted,
    answer: PhraseTaken,
  }),
  weights: operation({
    method: 'get',
    path: '/phrases/weights',
    summary: 'What counts in the choice of phrases',
    needs: 'partners:read',
    status: 200,
    answer: PhraseWeights,
    shows: ['phrases'],
  }),
  weigh: operation({
    method: 'put',
    path: '/phrases/weights',
    summary: 'Set what counts in the choice of phrases',
    needs: 'partners:edit',
    status: 200,
    body: PhraseWeights,
    answer: PhraseWeights,
  }),
} as const
