import { placements } from '../../../../contract/placements.ts'
import { ok } from '../../../../core/result.ts'
import { answer } from '../_answer.ts'
import { inParts } from './_parts.ts'

export const GET = answer(placements.csv, async ({ actor, services, query }) => {
  const first = await services.placements.csv(actor, query, null)
  if (!first.ok) return first
  return ok(
    new Response(
      inParts(first.value, async (next) => {
        const part = await services.placements.csv(actor, query, next)
        if (!part.ok) throw new Error(`The list broke off: ${part.fault}`)
        return part.value
      }),
      {
        headers: { 'Content-Type': 'text/csv; charset=utf-8; header=present', 'Content-Disposition': 'attachment; filename="links.csv"' },
      },
    ),
  )
})
