import { useMutation, useQuery } from '@tanstack/react-query'
import { useState } from 'react'
import { toast } from 'sonner'
import type { Partner } from '../../contract/partners.ts'
import { readableAddress } from '../../core/address/index.ts'
import { bannerMarkup } from '../../core/partners/index.ts'
import { call, wordsOf } from '../../ui/api.ts'
import { CopyButton } from '../../ui/CopyButton.tsx'
import { useAsk } from '../../ui/query.tsx'
import { useSettled } from '../../ui/settled.ts'
import { TextArea } from '../../ui/TextArea.tsx'
import { useKeptText } from '../../ui/unsaved.ts'

/** Banners of a partner: pasted code, cleaned, and where each is used. */
export function Banners({ partner, canEdit }: { partner: Partner; canEdit: boolean }) {
  const { data } = useAsk('partner-links.banners', { query: { partnerId: partner.id } })
  const [isOpen, setOpen] = useState(false)
  const [html, setHtml] = useKeptText(`banner of ${partner.id}`)
  const isPasting = isOpen || html !== ''
  const remove = useMutation({
    mutationFn: (id: string) => call('partner-links.removeBanner', { id }),
    onSuccess: () => toast.success('Taken out of the library. Pages keep theirs.'),
    onError: (failure) => toast.error(wordsOf(failure)),
  })
  const keepPicture = useMutation({
    mutationFn: (id: string) => call('partner-links.keepPicture', { id }),
    onSuccess: () => toast.success('The picture is among your files now. It is live with the next publication.'),
    onError: (failure) => toast.error(wordsOf(failure)),
  })
  const items = data?.items ?? []
  return (
    <section aria-label="Banners" className="mt-5">
      <header className="mb-2 flex items-baseline justify-between gap-3">
        <h3 className="text-[17px]">Banners {items.length > 0 && <span className="note font-text font-normal">{items.length}</span>}</h3>
        {canEdit && !isPasting && (
          <button type="button" className="button button-plain" onClick={() => setOpen(true)}>
            Paste a banner’s code
          </button>
        )}
      </header>
      {isPasting && (
        <Paste
          partner={partner}
          html={html}
          onHtml={setHtml}
          onDone={() => {
            setHtml('')
            setOpen(false)
          }}
        />
      )}
      <ul className="grid gap-2">
        {items.map((banner) => (
          <li key={banner.id} className="sheet flex flex-wrap items-center gap-x-3 gap-y-1 px-3 py-2">
            <span className="min-w-0 flex-1">
              <b className="font-semibold">{banner.picture?.alt || banner.text || 'a banner without words'}</b>
              <span className="note">
                {banner.picture === null
                  ? ', words alone'
                  : banner.picture.width === null || banner.picture.height === null
                    ? ', a picture'
                    : `, ${banner.picture.width} × ${banner.picture.height}`}
              </span>
              <span className="address block truncate text-ink-soft">{readableAddress(banner.href)}</span>
              <span className="note block">
                {banner.usedOn.length === 0
                  ? 'used nowhere yet'
                  : banner.usedOn.map(({ id, path, title }, i) => (
                      <span key={id}>
                        {i > 0 && ', '}
                        <a href={`/pages/${id}`} title={path}>
                          {title}
                        </a>
                      </span>
                    ))}
              </span>
            </span>
            {canEdit && banner.picture !== null && !banner.picture.src.startsWith('/') && (
              <button
                type="button"
                className="button button-plain !px-2 font-normal"
                title="So that your pages do not ask the partner’s server for it"
                disabled={keepPicture.isPending}
                onClick={() => keepPicture.mutate(banner.id)}
              >
                Keep the picture here<span className="sr-only">: {banner.picture.alt}</span>
              </button>
            )}
            <CopyButton address={bannerMarkup(banner)} />
            {canEdit && (
              <button
                type="button"
                className="button button-plain !px-2 font-normal"
                disabled={remove.isPending}
                onClick={() => remove.mutate(banner.id)}
              >
                Take out<span className="sr-only">: {banner.picture?.alt ?? banner.text}</span>
              </button>
            )}
          </li>
        ))}
        {data !== undefined && items.length === 0 && !isPasting && (
          <li className="note">
            None kept. What a partner’s page gives you as code is cleaned here: a link and its picture, nothing that runs or counts.
          </li>
        )}
      </ul>
    </section>
  )
}

function Paste({ partner, html, onHtml, onDone }: { partner: Partner; html: string; onHtml: (html: string) => void; onDone: () => void }) {
  const settled = useSettled(html.trim(), 250)
  const clean = useQuery({
    queryKey: ['snippet', settled],
    queryFn: () => call('partner-links.cleanSnippet', { body: { html: settled } }),
    enabled: settled !== '',
    retry: false,
  })
  const keep = useMutation({
    mutationFn: () => call('partner-links.keepBanner', { body: { partnerId: partner.id, html } }),
    onSuccess: () => {
      toast.success('The banner is in the library.')
      onDone()
    },
    onError: (failure) => toast.error(wordsOf(failure)),
  })
  return (
    <div className="sheet mb-2 grid gap-2 px-4 py-3">
      <TextArea label="The code they gave you" value={html} onChange={onHtml} isAddress />
      {settled !== '' && clean.error !== null && (
        <p role="alert" className="text-red">
          {wordsOf(clean.error)}
        </p>
      )}
      {clean.data !== undefined && settled !== '' && (
        <div aria-live="polite">
          <p>
            Leads to <span className="address">{readableAddress(clean.data.href)}</span>
            {clean.data.picture !== null && (
              <>
                {' '}
                and shows <span className="address">{readableAddress(clean.data.picture.src)}</span>
                {clean.data.picture.alt === '' && <span className="text-red"> without words for who cannot see it</span>}
              </>
            )}
          </p>
          {clean.data.removed.length > 0 && (
            <ul className="note mt-1 list-disc pl-5">
              {clean.data.removed.map(({ what, why }) => (
                <li key={what + why}>
                  left out <span className="address">{what}</span>: {why}
                </li>
              ))}
            </ul>
          )}
        </div>
      )}
      <p className="flex justify-end gap-2">
        <button type="button" className="button button-plain" onClick={onDone}>
          Leave it
        </button>
        <button
          type="button"
          className="button button-main"
          disabled={clean.data === undefined || keep.isPending}
          onClick={() => keep.mutate()}
        >
          Keep the banner
        </button>
      </p>
    </div>
  )
}
