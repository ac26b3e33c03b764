import type { RepairAnswer } from '../contract/addresses.ts'
import { type AddressFault, repair } from '../core/address/index.ts'
import { fail, ok, type Result } from '../core/result.ts'
import type { Actor, SiteViews } from './context.ts'

export function addressesService(views: SiteViews) {
  return {
    /** Mends a pasted address for a page of the actor's site. */
    async repair(
      actor: Actor,
      { text, host, path }: { text: string; host?: string | undefined; path?: string | undefined },
    ): Promise<Result<RepairAnswer, AddressFault | 'forbidden' | 'unknown-host'>> {
      if (!actor.can('addresses:read')) return fail('forbidden')
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
  }
}
