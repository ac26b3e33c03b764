import { z } from 'zod'
import { RepairAnswer, RepairRequest } from './addresses.ts'
import { Desk } from './desk.ts'
import { ImportApply, Job, JobStarted } from './imports.ts'
import { Page, PageChange, PageList, PageQuery, PageSource, PlacementList, PlacementQuery } from './pages.ts'
import { Partner, PartnerChange, PartnerList, PartnerNew } from './partners.ts'
import { Me, TokenMade, TokenNew } from './people.ts'
import { Publication, PublicationList, PublicationNew, Unpublished } from './publications.ts'
import { ImpactAnswer, ImpactRequest, RewriteAnswer, RewriteRequest, RuleList, RulesChange, RuleVersion } from './rules.ts'
import { ShortLink, ShortLinkChange, ShortLinkList, ShortLinkNew, ShortLinkQuery, SuggestAnswer, SuggestRequest } from './short-links.ts'

/** One call of the API: what it takes, what it answers. Endpoints parse by it and the OpenAPI document is made from it. */
export interface Operation<B extends z.ZodType = z.ZodType, Q extends z.ZodType = z.ZodType, A extends z.ZodType = z.ZodType> {
  readonly method: 'get' | 'post' | 'put' | 'patch' | 'delete'
  /** Below /api/v1; parameters in braces. */
  readonly path: string
  readonly summary: string
  readonly status: 200 | 201 | 202 | 204
  readonly body?: B
  readonly query?: Q
  readonly answer?: A
  /** When the answer or the body is not JSON. */
  readonly media?: { readonly body?: string; readonly answer?: string }
}

const operation = <const O extends Operation>(o: O): O => o
const Nothing = z.null()

export const API = {
  repairAddress: operation({
    method: 'post',
    path: '/addresses/repair',
    summary: 'Mend a pasted address and say what was mended',
    status: 200,
    body: RepairRequest,
    answer: RepairAnswer,
  }),
  rewrite: operation({
    method: 'post',
    path: '/rewrite',
    summary: 'Apply the rules in force to any HTML; nothing is stored',
    status: 200,
    body: RewriteRequest,
    answer: RewriteAnswer,
  }),
  me: operation({ method: 'get', path: '/me', summary: 'Who asks, and what they may do', status: 200, answer: Me }),
  desk: operation({ method: 'get', path: '/desk', summary: 'What needs a hand today', status: 200, answer: Desk }),
  listPages: operation({
    method: 'get',
    path: '/pages',
    summary: 'Pages in the order of their paths',
    status: 200,
    query: PageQuery,
    answer: PageList,
  }),
  pageSource: operation({
    method: 'get',
    path: '/pages/{id}',
    summary: 'A page with the text of its draft',
    status: 200,
    answer: PageSource,
  }),
  changePage: operation({
    method: 'patch',
    path: '/pages/{id}',
    summary: 'Put patches on the draft of a page',
    status: 200,
    body: PageChange,
    answer: Page,
  }),
  listPlacements: operation({
    method: 'get',
    path: '/placements',
    summary: 'Every link of every page, with what is delivered and why',
    status: 200,
    query: PlacementQuery,
    answer: PlacementList,
  }),
  listRules: operation({ method: 'get', path: '/rules', summary: 'The rule list in force', status: 200, answer: RuleList }),
  saveRules: operation({
    method: 'put',
    path: '/rules',
    summary: 'Save a new version of the rule list',
    status: 200,
    body: RulesChange,
    answer: RuleList,
  }),
  rulesImpact: operation({
    method: 'post',
    path: '/rules/impact',
    summary: 'What a rule list would change, before it is saved',
    status: 200,
    body: ImpactRequest,
    answer: ImpactAnswer,
  }),
  rulesHistory: operation({
    method: 'get',
    path: '/rules/history',
    summary: 'Versions of the rule list, newest first',
    status: 200,
    answer: z.object({ items: z.array(RuleVersion) }),
  }),
  listPartners: operation({
    method: 'get',
    path: '/partners',
    summary: 'Partners and the sites that belong to them',
    status: 200,
    answer: PartnerList,
  }),
  createPartner: operation({ method: 'post', path: '/partners', summary: 'Add a partner', status: 201, body: PartnerNew, answer: Partner }),
  changePartner: operation({
    method: 'put',
    path: '/partners/{id}',
    summary: 'Change a partner',
    status: 200,
    body: PartnerChange,
    answer: Partner,
  }),
  removePartner: operation({ method: 'delete', path: '/partners/{id}', summary: 'Remove a partner', status: 204, answer: Nothing }),
  listShortLinks: operation({
    method: 'get',
    path: '/short-links',
    summary: 'Short links, newest first',
    status: 200,
    query: ShortLinkQuery,
    answer: ShortLinkList,
  }),
  createShortLink: operation({
    method: 'post',
    path: '/short-links',
    summary: 'Make a short link',
    status: 201,
    body: ShortLinkNew,
    answer: ShortLink,
  }),
  suggestSlugs: operation({
    method: 'post',
    path: '/short-links/suggest',
    summary: 'Mend a destination and suggest free slugs',
    status: 200,
    body: SuggestRequest,
    answer: SuggestAnswer,
  }),
  getShortLink: operation({ method: 'get', path: '/short-links/{id}', summary: 'One short link', status: 200, answer: ShortLink }),
  changeShortLink: operation({
    method: 'patch',
    path: '/short-links/{id}',
    summary: 'Change where a short link leads',
    status: 200,
    body: ShortLinkChange,
    answer: ShortLink,
  }),
  removeShortLink: operation({
    method: 'delete',
    path: '/short-links/{id}',
    summary: 'Take a short link away',
    status: 204,
    answer: Nothing,
  }),
  startImport: operation({
    method: 'post',
    path: '/imports',
    summary: 'Bring in a site: a zip, or HTML files (multipart: file, dryRun, leaveOff)',
    status: 202,
    answer: JobStarted,
    media: { body: 'multipart/form-data' },
  }),
  applyImport: operation({
    method: 'post',
    path: '/imports/{id}/apply',
    summary: 'Carry out an import that was looked at in a dry run',
    status: 202,
    body: ImportApply,
    answer: JobStarted,
  }),
  getJob: operation({ method: 'get', path: '/jobs/{id}', summary: 'How far a job is, and its report', status: 200, answer: Job }),
  cancelJob: operation({ method: 'delete', path: '/jobs/{id}', summary: 'Stop a job; nothing it did stays', status: 200, answer: Job }),
  unpublished: operation({
    method: 'get',
    path: '/publications/unpublished',
    summary: 'What differs from the live site',
    status: 200,
    answer: Unpublished,
  }),
  listPublications: operation({
    method: 'get',
    path: '/publications',
    summary: 'Publications, newest first',
    status: 200,
    answer: PublicationList,
  }),
  publish: operation({
    method: 'post',
    path: '/publications',
    summary: 'Make drafts live',
    status: 201,
    body: PublicationNew,
    answer: Publication,
  }),
  exportSite: operation({
    method: 'get',
    path: '/exports/site.zip',
    summary: 'The site as static files with the rules applied',
    status: 200,
    query: z.object({ of: z.enum(['draft', 'live']).default('draft') }),
    media: { answer: 'application/zip' },
  }),
  makeToken: operation({ method: 'post', path: '/tokens', summary: 'Make an API token', status: 201, body: TokenNew, answer: TokenMade }),
  revokeToken: operation({ method: 'delete', path: '/tokens/{id}', summary: 'Revoke an API token', status: 204, answer: Nothing }),
} as const
