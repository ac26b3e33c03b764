import { LINKS_CSV_COLUMNS, placements } from '../../../../contract/placements.ts'
import { ok } from '../../../../core/result.ts'
import { answer } from '../_answer.ts'
import { inParts } from './_parts.ts'

export const GET = answer(placements.csv, async ({ actor, services, query }) => {
  // The head goes out at once: of a large site that has just come in the links have to be read first.
  const head = { text: `${LINKS_CSV_COLUMNS.join(',')}\n`, next: 'rows' as const }
  type Place = Parameters<typeof services.placements.csv>[2]
  return ok(
    new Response(
      inParts<'rows' | NonNullable<Place>>(head, async (next) => {
        const part = await services.placements.csv(actor, query, next === 'rows' ? null : next)
        if (!part.ok) throw new Error(`The list broke off: ${part.fault}`)
        return part.value
      }),
      {
        headers: { 'Content-Type': 'text/csv; charset=utf-8; header=present', 'Content-Disposition': 'attachment; filename="links.csv"' },
      },
    ),
  )
})
