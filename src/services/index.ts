import type { OwnServices } from './all.ts'
import type { WithThreads } from './threads.ts'

export { createServices, type OwnServices } from './all.ts'
/** Services as screens and endpoints know them. */
export type Services = WithThreads<OwnServices>
export type { Actor, Context } from './context.ts'
export { BeingRead, withPatience } from './patience.ts'
export { conditionsOf, defined } from './redirect-fields.ts'
export type { JudgedRedirect, ListedRedirectRow, ListPlan } from './redirect-lists.ts'
export type { TriedSite } from './redirect-trials.ts'
export type { ListedRow, RowOutcome } from './short-link-lists.ts'
export { arrived, type ServiceOrder, type ServiceThreadData, ServiceThreads } from './threads.ts'
