import { addresses as calls, type RepairAnswer } from '../../contract/addresses.ts'
import { mayAsk } from '../../contract/operation.ts'
import { type AddressFault, parseUrl, repair } from '../../core/address/index.ts'
import { fail, ok, type Result } from '../../core/result.ts'
import type { Actor, Context, SiteViews } from '../context.ts'
import { ledAmong } from '../redirects/index.ts'

export function addressesService({ db, settings }: Context, views: SiteViews) {
  return {
    /** Mends a pasted address for a page of the actor's site. */
    async repair(
      actor: Actor,
      { text, host, path }: { text: string; host?: string | undefined; path?: string | undefined },
    ): Promise<Result<RepairAnswer, AddressFault | 'forbidden' | 'unknown-host'>> {
      if (!mayAsk(actor, calls.repair)) return fail('forbidden')
      const view = await views.of(actor)
      if (host !== undefined && !view.setup.hosts.some((each) => each.host === host.toLowerCase().replace(/:\d+$/, '')))
        return fail('unknown-host', { host })
      const mended = repair(text, view.around(path ?? '/'))
      if (!mended.ok) return mended
      return ok({
        address: mended.value.address,
        kind: mended.value.kind,
        repairs: [...mended.value.repairs],
        offers: [...mended.value.offers],
      })
    },

    /** At which of these addresses of the site's pages visitors would find nothing. What is not of the site is nobody's to say. */
    async landing(actor: Actor, addresses: readonly string[]): Promise<Result<{ nowhere: string[] }, 'forbidden'>> {
      if (!mayAsk(actor, calls.landing)) return fail('forbidden')
      const view = await views.of(actor)
      const own = new Set(view.setup.hosts.filter(({ kind }) => kind === 'site').map(({ host }) => host))
      const inside = addresses.flatMap((address) => {
        const url = address.trim() === '' ? null : parseUrl(address.trim(), `${view.origin}/`)
        return url === null || !own.has(url.hostname) ? [] : [{ address, path: url.pathname }]
      })
      const led = new Set(
        await ledAmong(
          db,
          view,
          settings.port,
          inside.map(({ path }) => path),
        ),
      )
      return ok({ nowhere: inside.filter(({ path }) => !led.has(path)).map(({ address }) => address) })
    },
  }
}
