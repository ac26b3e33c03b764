import { useMutation } from '@tanstack/react-query'
import { toast } from 'sonner'
import type { Banner } from '../../contract/partner-links.ts'
import { bannerMarkup } from '../../core/partners/index.ts'
import { BY_HAND, type CompiledSite } from '../../core/rules/index.ts'
import { call, wordsOf } from '../../ui/api.ts'
import { Dialog } from '../../ui/Dialog.tsx'
import { Problem } from '../../ui/Form.tsx'
import { useAsk } from '../../ui/query.tsx'

/** Partners' banners, to put one where the caret stands. Its link is made for this page, so that what it earns is told apart. */
export function BannerDialog({
  path,
  site,
  onInsert,
  onClose,
}: {
  path: string
  site: CompiledSite
  /** A picture stands in a paragraph of its own, behind the one with the caret; words stand at the caret. */
  onInsert: (banner: { html: string; where: 'here' | 'after' }) => void
  onClose: () => void
}) {
  const { data, error } = useAsk('partner-links.banners', { query: {} })
  const partners = site.partnerLinks
  const put = useMutation({
    mutationFn: async (banner: Banner) => {
      const page = partners.recognise(banner.href, 'any')?.destination ?? banner.href
      const made = await call('partner-links.create', { body: { address: page, path } }).catch(() => null)
      const html = bannerMarkup({ ...banner, href: made?.address ?? banner.href }).replace('">', `" ${BY_HAND}="">`)
      return banner.picture === null ? { html, where: 'here' as const } : { html: `<p>${html}</p>`, where: 'after' as const }
    },
    onSuccess: (banner) => {
      onInsert(banner)
      onClose()
    },
    onError: (failure) => toast.error(wordsOf(failure)),
  })
  const nameOf = (partnerId: string): string => site.setup.partners.find(({ id }) => id === partnerId)?.name ?? ''
  return (
    <Dialog title="Put a banner in" isOpen onClose={onClose}>
      <Problem error={error} />
      {data !== undefined && data.items.length === 0 && (
        <p className="py-2">
          No banner is kept yet. <a href="/partners">Paste a banner’s code on its partner’s card</a>; it is cleaned and kept there.
        </p>
      )}
      <ul className="divide-y">
        {(data?.items ?? []).map((banner) => (
          <li key={banner.id} className="flex items-center gap-3 py-2">
            <span className="min-w-0 flex-1">
              <b className="block truncate font-semibold">{banner.picture?.alt || banner.text || 'a banner without words'}</b>
              <span className="note">
                {nameOf(banner.partnerId)}
                {banner.picture?.width != null && banner.picture.height !== null && `, ${banner.picture.width} × ${banner.picture.height}`}
                {banner.picture === null
                  ? ', words alone'
                  : banner.picture.src.startsWith('/')
                    ? ', picture kept here'
                    : ', picture from elsewhere'}
              </span>
            </span>
            <button type="button" className="button" disabled={put.isPending} onClick={() => put.mutate(banner)}>
              Put it in<span className="sr-only">: {banner.picture?.alt ?? banner.text}</span>
            </button>
          </li>
        ))}
      </ul>
    </Dialog>
  )
}
