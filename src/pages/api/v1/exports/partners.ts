import { partners } from '../../../../contract/partners.ts'
import { ok } from '../../../../core/result.ts'
import { answer } from '../_answer.ts'

export const GET = answer(partners.csv, async ({ actor, services }) => {
  const text = await services.partners.csv(actor)
  if (!text.ok) return text
  return ok(
    new Response(text.value, {
      headers: { 'Content-Type': 'text/csv; charset=utf-8; header=present', 'Content-Disposition': 'attachment; filename="partners.csv"' },
    }),
  )
})
