import { shortLinks } from '../../../../contract/short-links.ts'
import { ok } from '../../../../core/result.ts'
import { answer } from '../_answer.ts'
import { bodyOf } from '../_form.ts'

export const POST = answer(shortLinks.bulk, async ({ actor, services, query, request }) => {
  const started = await services.shortLinkLists.start(actor, bodyOf(request), query.dryRun)
  return started.ok ? ok({ job: started.value }) : started
})
