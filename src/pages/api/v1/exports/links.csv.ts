import { API } from '../../../../contract/api.ts'
import { ok } from '../../../../core/result.ts'
import { answer } from '../_answer.ts'

export const GET = answer(API.exportPlacements, async ({ actor, services, query }) => {
  const csv = await services.placements.csv(actor, query)
  return csv.ok
    ? ok(
        new Response(csv.value, {
          headers: { 'Content-Type': 'text/csv; charset=utf-8; header=present', 'Content-Disposition': 'attachment; filename="links.csv"' },
        }),
      )
    : csv
})
