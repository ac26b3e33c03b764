import { Readable } from 'node:stream'
import { placements } from '../../../../contract/placements.ts'
import { ok } from '../../../../core/result.ts'
import { answer } from '../_answer.ts'

export const GET = answer(placements.csv, async ({ actor, services, query }) => {
  const first = await services.placements.csv(actor, query, null)
  if (!first.ok) return first
  // A part at a time, as the reader takes it: a file of any length is never held as a whole.
  async function* text(): AsyncGenerator<string> {
    for (let part = first; ; ) {
      if (!part.ok) throw new Error(`The list broke off: ${part.fault}`)
      yield part.value.text
      if (part.value.next === null) return
      part = await services.placements.csv(actor, query, part.value.next)
    }
  }
  return ok(
    new Response(Readable.toWeb(Readable.from(text())) as ReadableStream<Uint8Array>, {
      headers: { 'Content-Type': 'text/csv; charset=utf-8; header=present', 'Content-Disposition': 'attachment; filename="links.csv"' },
    }),
  )
})
