import { Readable } from 'node:stream'
import { createGzip } from 'node:zlib'
import { placements } from '../../../../contract/placements.ts'
import { ok } from '../../../../core/result.ts'
import { answer } from '../_answer.ts'

/** A hundred thousand placements are ten megabytes, and hardly one when pressed; the fastest level keeps the first rows quick. */
const GZIP_LEVEL = 1

export const GET = answer(placements.send, async ({ actor, services, query, request }) => {
  const sent = await services.placements.send(actor, query.after ?? null)
  if (!sent.ok) return sent
  const lines = Readable.from(sent.value)
  const isPressed = /\bgzip\b/.test(request.headers.get('accept-encoding') ?? '')
  // Flushed as it goes, so that the first rows are not held back.
  const body = isPressed ? lines.pipe(createGzip({ level: GZIP_LEVEL, flush: 2 })) : lines
  return ok(
    new Response(Readable.toWeb(body) as ReadableStream<Uint8Array>, {
      headers: {
        'Content-Type': 'application/x-ndjson; charset=utf-8',
        'Cache-Control': 'private, no-store',
        Vary: 'Accept-Encoding',
        ...(isPressed ? { 'Content-Encoding': 'gzip' } : {}),
      },
    }),
  )
})
