import { API } from '../../../../contract/api.ts'
import { ok } from '../../../../core/result.ts'
import { answer } from '../_answer.ts'

export const GET = answer(API.exportSite, async ({ actor, services, query }) => {
  const zip = await services.exports.siteZip(actor, query.of)
  return zip.ok
    ? ok(
        new Response(zip.value, {
          headers: { 'Content-Type': 'application/zip', 'Content-Disposition': 'attachment; filename="site.zip"' },
        }),
      )
    : zip
})
