import { redirectLists } from '../../../../contract/redirect-lists.ts'
import { ok } from '../../../../core/result.ts'
import { answer } from '../_answer.ts'
import { inParts } from './_parts.ts'

const TYPES = {
  csv: ['text/csv; charset=utf-8; header=present', 'redirects.csv'],
  json: ['application/json', 'redirects.json'],
  httpd: ['text/plain; charset=utf-8', 'redirects-httpd.conf'],
  nginx: ['text/plain; charset=utf-8', 'redirects-nginx.conf'],
} as const

export const GET = answer(redirectLists.download, async ({ actor, services, query: { as } }) => {
  const [type, name] = TYPES[as]
  const headers = { 'Content-Type': type, 'Content-Disposition': `attachment; filename="${name}"` }
  if (as === 'httpd' || as === 'nginx') {
    const made = await services.redirectLists.configuration(actor, as)
    return made.ok ? ok(new Response(made.value, { headers })) : made
  }
  const first = await services.redirectLists.download(actor, as, null)
  if (!first.ok) return first
  return ok(
    new Response(
      inParts(first.value, async (next) => {
        const part = await services.redirectLists.download(actor, as, next)
        if (!part.ok) throw new Error(`The list broke off: ${part.fault}`)
        return part.value
      }),
      { headers },
    ),
  )
})
