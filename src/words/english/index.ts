import { addresses } from './addresses.ts'
import { answers } from './answers.ts'
import { checks } from './checks.ts'
import { exchange } from './exchange.ts'
import { fields } from './fields.ts'
import { jobs } from './jobs.ts'
import { pages } from './pages.ts'
import { partners } from './partners.ts'
import { problems } from './problems.ts'
import { redirects } from './redirects.ts'
import { rules } from './rules.ts'
import { shortLinks } from './short-links.ts'

/** Every sentence by its name. What kept rows may name (reports of jobs, steps) stays, also when nothing says it any more. */
export const ENGLISH = {
  ...addresses,
  ...answers,
  ...checks,
  ...exchange,
  ...fields,
  ...jobs,
  ...pages,
  ...partners,
  ...problems,
  ...redirects,
  ...rules,
  ...shortLinks,
}
export type Words = typeof ENGLISH
