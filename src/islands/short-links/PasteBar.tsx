import { useMutation } from '@tanstack/react-query'
import { type FormEvent, useEffect, useId, useRef, useState } from 'react'
import { z } from 'zod'
import { titleOf } from '../../contract/problems.ts'
import type { ShortLink } from '../../contract/short-links.ts'
import { readableAddress } from '../../core/address/index.ts'
import { slugFault, tidySlug } from '../../core/slugs/index.ts'
import { utmOf, withUtm } from '../../core/utm/index.ts'
import { call, wordsOf } from '../../ui/api.ts'
import { CopyButton } from '../../ui/CopyButton.tsx'
import { Problem } from '../../ui/Form.tsx'
import { PartnerOffer } from '../../ui/PartnerOffer.tsx'
import { useAsk } from '../../ui/query.tsx'
import { useSettled } from '../../ui/settled.ts'
import { useKept, useUnsaved } from '../../ui/unsaved.ts'
import { inWords } from '../../words/index.ts'
import { SlugSay } from './SlugSay.tsx'
import { UtmFields } from './UtmFields.tsx'

const Form = z.object({ pasted: z.string(), title: z.string(), slug: z.string() })

const NO_LINK: z.infer<typeof Form> = { pasted: '', title: '', slug: '' }

const readForm = (kept: unknown): z.infer<typeof Form> | null => Form.safeParse(kept).data ?? null

/** Paste a long address; it is mended, and slugs are suggested; take one, copy. */
export function PasteBar({ given }: { given: { paste: string; title: string } | null }) {
  const [form, setForm] = useKept('short link', NO_LINK, readForm)
  const { pasted, title, slug } = form
  const [made, setMade] = useState<ShortLink | null>(null)
  const [isCopied, setCopied] = useState(false)
  const field = useRef<HTMLInputElement>(null)
  // biome-ignore lint/correctness/useExhaustiveDependencies: taken up once, when the form wakes
  useEffect(() => {
    if (given === null) return
    setForm({ pasted: given.paste, title: given.title, slug: '' })
    history.replaceState(null, '', location.pathname)
    field.current?.focus()
  }, [])
  const destination = useSettled(pasted.trim(), 250)
  const settledTitle = useSettled(title.trim(), 250)
  const ids = { address: useId(), title: useId(), slug: useId(), fault: useId() }
  const { data, error } = useAsk(
    'short-links.suggest',
    { body: { destination, title: settledTitle } },
    { enabled: destination !== '', retry: false, placeholderData: (before) => before },
  )
  const create = useMutation({
    mutationFn: (chosen: string) =>
      call('short-links.create', { body: { destination: data?.destination ?? destination, title: title.trim(), slug: chosen } }),
    onSuccess: (link) => {
      setMade(link)
      setForm(NO_LINK)
      // Not every browser lets a page copy by itself; then the button is one key away.
      navigator.clipboard?.writeText(link.address).then(
        () => setCopied(true),
        () => setCopied(false),
      )
    },
  })
  useUnsaved(pasted.trim() !== '')
  const isReady = destination !== '' && data !== undefined && error === null
  const chosen = slug === '' ? (data?.suggestions[0]?.slug ?? '') : tidySlug(slug)
  const slugTold = useSlugTold(slug === '' ? '' : tidySlug(slug))
  const submit = (event: FormEvent): void => {
    event.preventDefault()
    if (isReady && chosen !== '' && slugTold === null) create.mutate(chosen)
  }
  return (
    <section className="sheet px-5 py-4" aria-label="Make a short link">
      <form onSubmit={submit} className="grid gap-3">
        <div>
          <label className="field-label" htmlFor={ids.address}>
            Long address
          </label>
          <input
            id={ids.address}
            ref={field}
            className="field address"
            placeholder="Paste the long address here"
            value={pasted}
            autoComplete="off"
            spellCheck={false}
            aria-describedby={ids.fault}
            onChange={(event) => {
              setForm({ ...form, pasted: event.target.value })
              setMade(null)
              create.reset()
            }}
          />
          <div id={ids.fault} aria-live="polite">
            {destination !== '' && error !== null && <p className="mt-1 text-red">{wordsOf(error)}</p>}
            {isReady &&
              data.repairs.map((repair) => (
                <p key={repair.what} className="note mt-1">
                  {repair.what}: <span className="address">{readableAddress(data.destination)}</span>
                </p>
              ))}
            {isReady && <PartnerOffer address={data.destination} onTake={(to) => setForm({ ...form, pasted: to })} />}
            {isReady &&
              data.offers.map((offer) => (
                <p key={offer.what} className="mt-1">
                  <button
                    type="button"
                    className="button !min-h-0 !py-0.5 font-normal"
                    onClick={() => setForm({ ...form, pasted: offer.to })}
                  >
                    {offer.what}
                  </button>
                </p>
              ))}
          </div>
        </div>
        {isReady && (
          <>
            <div className="grid grid-cols-2 gap-4 max-md:grid-cols-1">
              <div>
                <label className="field-label" htmlFor={ids.title}>
                  What it is (only you see this)
                </label>
                <input
                  id={ids.title}
                  className="field"
                  value={title}
                  onChange={(event) => setForm({ ...form, title: event.target.value })}
                />
              </div>
              <div>
                <label className="field-label" htmlFor={ids.slug}>
                  Short link
                </label>
                <div className="flex items-center gap-1">
                  <span className="address shrink-0 text-ink-soft">{data.stem.replace(/^https?:\/\//, '')}</span>
                  <input
                    id={ids.slug}
                    className="field address"
                    value={slug}
                    placeholder={data.suggestions[0]?.slug ?? ''}
                    spellCheck={false}
                    autoComplete="off"
                    aria-describedby={`${ids.slug}-told`}
                    aria-invalid={slugTold !== null}
                    onChange={(event) => setForm({ ...form, slug: event.target.value })}
                    onBlur={() => slug !== tidySlug(slug) && setForm({ ...form, slug: tidySlug(slug) })}
                  />
                </div>
                <p id={`${ids.slug}-told`} aria-live="polite" className="mt-1 text-[14px] text-red empty:hidden">
                  {slugTold}
                </p>
              </div>
            </div>
            <fieldset className="flex flex-wrap items-center gap-2">
              <legend className="note float-left mr-2">Free and easy to say:</legend>
              {data.suggestions.map((suggestion) => (
                <button
                  key={suggestion.slug}
                  type="button"
                  className={`button !min-h-0 !py-1 ${chosen === suggestion.slug ? '!border-[var(--ink)] !border-2' : ''}`}
                  title={suggestion.why}
                  aria-pressed={chosen === suggestion.slug}
                  onClick={() => setForm({ ...form, slug: suggestion.slug })}
                >
                  {suggestion.slug} <span className="note font-normal">{suggestion.why}</span>
                </button>
              ))}
            </fieldset>
            <SlugSay slug={chosen} />
            <details className="text-[14px]">
              <summary className="cursor-pointer text-ink-soft">Mark it for your statistics (UTM)</summary>
              <div className="mt-2">
                <UtmFields utm={utmOf(data.destination)} onChange={(utm) => setForm({ ...form, pasted: withUtm(data.destination, utm) })} />
              </div>
            </details>
            <div className="flex items-center justify-end gap-4">
              <Problem error={create.error} />
              <button type="submit" className="button button-main" disabled={create.isPending || chosen === '' || slugTold !== null}>
                Make {data.stem.replace(/^https?:\/\//, '')}
                {chosen}
              </button>
            </div>
          </>
        )}
      </form>
      {made !== null && <MadeNote link={made} isCopied={isCopied} />}
    </section>
  )
}

/** Why a slug cannot be taken, told while it is typed; null where it can. */
function useSlugTold(slug: string): string | null {
  const wanted = useSettled(slug, 200)
  const fault = slug === '' ? null : slugFault(slug)
  const { data } = useAsk(
    'short-links.list',
    { query: { limit: 1, slug: wanted } },
    { enabled: wanted !== '' && slugFault(wanted) === null },
  )
  if (fault !== null) return inWords(titleOf(fault))
  const [taken] = data?.items ?? []
  return taken === undefined || wanted !== slug
    ? null
    : `“${slug}” is taken: it leads to ${taken.destination.replace(/^https?:\/\//, '').slice(0, 60)}.`
}

function MadeNote({ link, isCopied }: { link: ShortLink; isCopied: boolean }) {
  const place = useRef<HTMLDivElement>(null)
  useEffect(() => place.current?.querySelector('button')?.focus(), [])
  return (
    <div ref={place} role="status" className="mt-3 flex flex-wrap items-center gap-4 rounded-[7px] bg-sun px-4 py-3">
      <span>
        {isCopied ? 'Ready, and copied' : 'Ready'}:{' '}
        <b className="address" data-testid="made">
          {link.address}
        </b>
      </span>
      <CopyButton address={link.address} isMain />
      <a className="button" href={`/short-links/${link.id}`}>
        Its code, its clicks, who goes where
      </a>
    </div>
  )
}
