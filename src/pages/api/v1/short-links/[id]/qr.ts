import { shortLinkCodes } from '../../../../../contract/short-link-codes.ts'
import { ok } from '../../../../../core/result.ts'
import { answer } from '../../_answer.ts'

export const GET = answer(shortLinkCodes.get, async ({ actor, services, id, query }) => {
  const code = await services.shortLinkCodes.get(actor, id, query)
  if (!code.ok) return code
  const { bytes, type, slug } = code.value
  const name = `${slug}.${query.as}`
  return ok(new Response(new Uint8Array(bytes), { headers: { 'Content-Type': type, 'Content-Disposition': `inline; filename="${name}"` } }))
})
