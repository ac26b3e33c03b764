import type { OwnServices } from './all.ts'
import type { WithThreads } from './threads.ts'

export { createServices, type OwnServices } from './all.ts'
/** Services as screens and endpoints know them. */
export type Services = WithThreads<OwnServices>
export { conditionsOf, defined } from './conditions.ts'
export type { Actor, Context } from './context.ts'
export { BeingRead, withPatience } from './patience.ts'
export type { JudgedRedirect, ListedRedirectRow, ListPlan, TriedSite } from './redirects/index.ts'
export type { ListedRow, RowOutcome } from './short-links/index.ts'
export { arrived, type ServiceOrder, type ServiceThreadData, ServiceThreads } from './threads.ts'
