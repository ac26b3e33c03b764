import { shortLinks } from '../../../../contract/short-links.ts'
import { ok } from '../../../../core/result.ts'
import { answer } from '../_answer.ts'
import { inParts } from './_parts.ts'

export const GET = answer(shortLinks.csv, async ({ actor, services }) => {
  const first = await services.shortLinks.csv(actor, null)
  if (!first.ok) return first
  return ok(
    new Response(
      inParts(first.value, async (next) => {
        const part = await services.shortLinks.csv(actor, next)
        if (!part.ok) throw new Error(`The list broke off: ${part.fault}`)
        return part.value
      }),
      {
        headers: {
          'Content-Type': 'text/csv; charset=utf-8; header=present',
          'Content-Disposition': 'attachment; filename="short-links.csv"',
        },
      },
    ),
  )
})
