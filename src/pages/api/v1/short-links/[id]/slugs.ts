import { shortLinkSlugs } from '../../../../../contract/short-link-slugs.ts'
import { answer } from '../../_answer.ts'

export const PUT = answer(shortLinkSlugs.change, ({ actor, services, id, body }) => services.shortLinkSlugs.change(actor, id, body))
