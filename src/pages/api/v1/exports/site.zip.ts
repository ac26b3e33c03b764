import { siteExports } from '../../../../contract/exports.ts'
import { ok } from '../../../../core/result.ts'
import { answer } from '../_answer.ts'

export const GET = answer(siteExports.siteZip, async ({ actor, services, query }) => {
  const zip = await services.exports.siteZip(actor, query.of)
  return zip.ok
    ? ok(
        new Response(zip.value, {
          headers: { 'Content-Type': 'application/zip', 'Content-Disposition': 'attachment; filename="site.zip"' },
        }),
      )
    : zip
})
