import { shortLinkSlugs } from '../../../../contract/short-link-slugs.ts'
import { answer } from '../_answer.ts'

export const GET = answer(shortLinkSlugs.look, ({ actor, services, query }) => services.shortLinkSlugs.look(actor, query))
