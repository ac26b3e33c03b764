import { useMutation } from '@tanstack/react-query'
import { Copy, Pencil, Trash2 } from 'lucide-react'
import { type FormEvent, useEffect, useId, useRef, useState } from 'react'
import { toast } from 'sonner'
import { z } from 'zod'
import { PROBLEMS } from '../../contract/problems.ts'
import type { ShortLink, ShortLinkList } from '../../contract/short-links.ts'
import { slugFault, tidySlug } from '../../core/slugs/index.ts'
import { call, wordsOf } from '../../ui/api.ts'
import { Dialog } from '../../ui/Dialog.tsx'
import { Queries, useAsk, useAskOn } from '../../ui/query.tsx'
import { Rope } from '../../ui/Rope.tsx'
import { useSettled } from '../../ui/settled.ts'
import { useKept, useUnsaved } from '../../ui/unsaved.ts'
import { BringInList } from './BringInList.tsx'

interface ShortLinksProps {
  initial: ShortLinkList
  canEdit: boolean
  /** Whether the site has a host for short links. */
  hasHost: boolean
  canAddHost: boolean
}

export function ShortLinks(props: ShortLinksProps) {
  return (
    <Queries>
      <ShortLinksView {...props} />
    </Queries>
  )
}

/** Clicks are loaded within a second or two of the answer; people watch for them. */
const CLICKS_EVERY_MS = 2_000
const PAGE_ROWS = 200
/** What is found is counted up to here. */
const COUNTED_MAX = 10_000

const countWords = (total: number, isSearch: boolean): string =>
  isSearch && total > COUNTED_MAX
    ? `more than ${COUNTED_MAX.toLocaleString('en')} short links`
    : `${total.toLocaleString('en')} short ${total === 1 ? 'link' : 'links'}`

function ShortLinksView({ initial, canEdit, hasHost, canAddHost }: ShortLinksProps) {
  const [search, setSearch] = useState('')
  const wanted = useSettled(search, 200)
  const { data, error, fetchNextPage, hasNextPage, isFetchingNextPage } = useAskOn(
    'short-links.list',
    { query: { limit: PAGE_ROWS, search: wanted } },
    // Clicks are watched for on the first page; somebody far down a long list is looking for something else.
    { initial: wanted === '' ? initial : undefined, refreshMs: CLICKS_EVERY_MS },
  )
  const links = data?.pages.flatMap(({ items }) => items)
  const total = data?.pages[0]?.total
  const [edited, setEdited] = useState<ShortLink | null>(null)
  const [isBringingIn, setBringingIn] = useState(false)
  return (
    <div className="mx-auto grid max-w-[1120px] gap-5 px-5 py-7 max-md:px-3">
      <header className="flex flex-wrap items-baseline gap-x-4 gap-y-2">
        <h1 className="text-[26px]">Short links</h1>
        <p className="text-ink-soft">sayable addresses of your own, for long ones that may change</p>
        {canEdit && hasHost && (
          <button type="button" className="button ml-auto max-md:ml-0" onClick={() => setBringingIn(true)}>
            Bring in a list
          </button>
        )}
      </header>
      {canEdit && hasHost && <PasteBar />}
      {!hasHost && <NoHost canAdd={canAddHost} />}
      <section aria-label="Short links" className="sheet overflow-hidden">
        <div className="flex flex-wrap items-center justify-between gap-3 border-b px-4 py-2.5">
          <p aria-live="polite">{total === undefined ? 'Looking…' : countWords(total, wanted !== '')}</p>
          <input
            className="field !w-[260px] max-md:!w-full"
            type="search"
            placeholder="Find by word or address"
            aria-label="Find a short link"
            value={search}
            onChange={(event) => setSearch(event.target.value)}
          />
        </div>
        {error !== null && (
          <p role="alert" className="px-4 py-3 text-red">
            {wordsOf(error)}
          </p>
        )}
        {links?.length === 0 && (
          <p className="px-4 py-10 text-center text-ink-soft">
            {wanted !== ''
              ? `None has “${wanted}” in it.`
              : canEdit && hasHost
                ? 'None yet. Paste a long address above, and it gets a short one.'
                : 'None yet.'}
          </p>
        )}
        <ul className="divide-y">
          {links?.map((link) => (
            <Row key={link.id} link={link} canEdit={canEdit} onEdit={() => setEdited(link)} />
          ))}
        </ul>
        {hasNextPage && (
          <p className="flex items-center justify-center gap-3 border-t px-4 py-3">
            <span className="note">{links?.length.toLocaleString('en')} are shown.</span>
            <button type="button" className="button" disabled={isFetchingNextPage} onClick={() => void fetchNextPage()}>
              {isFetchingNextPage ? 'Fetching…' : 'Show more'}
            </button>
          </p>
        )}
      </section>
      {isBringingIn && <BringInList onClose={() => setBringingIn(false)} />}
      {edited !== null && <ChangeDialog key={edited.id} link={edited} onClose={() => setEdited(null)} />}
    </div>
  )
}

/** Short links need a name of their own to stand on. */
function NoHost({ canAdd }: { canAdd: boolean }) {
  return (
    <section className="sheet grid justify-items-start gap-3 px-5 py-5">
      <h2 className="text-[18px]">Short links need a host first</h2>
      <p>
        It is a short name of your own, such as <span className="address">sferry.example</span>, that leads to this server.{' '}
        {canAdd ? 'Add it once; then paste any long address here.' : 'An owner of the site can add it in Settings.'}
      </p>
      {canAdd && (
        <a className="button button-main" href="/settings#short-links">
          Add a host for short links
        </a>
      )}
    </section>
  )
}

function Row({ link, canEdit, onEdit }: { link: ShortLink; canEdit: boolean; onEdit: () => void }) {
  return (
    <li className="grid grid-cols-[minmax(0,300px)_110px_minmax(0,1fr)_86px_auto] items-center gap-x-4 px-4 py-2.5 max-md:grid-cols-[minmax(0,1fr)_auto] max-md:gap-y-1">
      <span className="min-w-0">
        <a
          className="address block truncate font-semibold no-underline hover:underline"
          href={link.address}
          target="_blank"
          rel="noopener"
          title={link.address}
        >
          {link.address.replace(/^https?:\/\//, '')}
        </a>
        <span className="note block truncate">
          <span className="md:hidden">
            {link.clicks} {link.clicks === 1 ? 'click' : 'clicks'} ·{' '}
          </span>
          {link.title === '' ? 'no title' : link.title}
          {link.partner !== null && `, leads to ${link.partner}`}
        </span>
      </span>
      <span className="max-md:hidden">
        <Rope
          strand={link.strand}
          knots={[{ kind: 'short link', address: link.address }]}
          end={{ opens: 'same tab', lands: null }}
          width={110}
        />
      </span>
      <span className="address min-w-0 truncate text-ink-soft max-md:order-last max-md:col-span-2" title={link.destination}>
        {link.destination.replace(/^https?:\/\//, '')}
      </span>
      <span className="text-right tabular-nums max-md:hidden" data-clicks={link.slug}>
        <b>{link.clicks}</b> <span className="note">{link.clicks === 1 ? 'click' : 'clicks'}</span>
        {link.otherClicks > 0 && (
          <span className="note block text-[12.5px]" title="Robots, previews, and requests by tools: told apart, not counted">
            + {link.otherClicks} by tools
          </span>
        )}
      </span>
      <span className="flex justify-end gap-1">
        <CopyButton address={link.address} />
        {canEdit && (
          <button
            type="button"
            className="button button-plain !px-2"
            aria-label={`Change where ${link.slug} leads`}
            title="Change"
            onClick={onEdit}
          >
            <Pencil size={16} aria-hidden="true" />
          </button>
        )}
      </span>
    </li>
  )
}

function CopyButton({ address, isMain = false }: { address: string; isMain?: boolean }) {
  const copy = (): void => {
    navigator.clipboard.writeText(address).then(
      () => toast.success(`Copied ${address}`),
      () => toast.error('This browser does not let a page copy. Select the address and copy it yourself.'),
    )
  }
  return (
    <button
      type="button"
      className={`button ${isMain ? 'button-main' : 'button-plain !px-2'}`}
      onClick={copy}
      aria-label={isMain ? undefined : `Copy ${address}`}
      title="Copy"
    >
      <Copy size={16} aria-hidden="true" />
      {isMain && 'Copy'}
    </button>
  )
}

const Form = z.object({ pasted: z.string(), title: z.string(), slug: z.string() })
const NO_LINK: z.infer<typeof Form> = { pasted: '', title: '', slug: '' }
const readForm = (kept: unknown): z.infer<typeof Form> | null => Form.safeParse(kept).data ?? null

/** Paste a long address; it is mended, and slugs are suggested; take one, copy. */
function PasteBar() {
  const [form, setForm] = useKept('short link', NO_LINK, readForm)
  const { pasted, title, slug } = form
  const [made, setMade] = useState<ShortLink | null>(null)
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
                  {repair.what}: <span className="address">{data.destination}</span>
                </p>
              ))}
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
            <div className="flex items-center justify-end gap-4">
              {create.error !== null && (
                <p role="alert" className="text-red">
                  {wordsOf(create.error)}
                </p>
              )}
              <button type="submit" className="button button-main" disabled={create.isPending || chosen === '' || slugTold !== null}>
                Make {data.stem.replace(/^https?:\/\//, '')}
                {chosen}
              </button>
            </div>
          </>
        )}
      </form>
      {made !== null && <MadeNote link={made} />}
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
  if (fault !== null) return PROBLEMS[fault][1]
  const [taken] = data?.items ?? []
  return taken === undefined || wanted !== slug
    ? null
    : `“${slug}” is taken: it leads to ${taken.destination.replace(/^https?:\/\//, '').slice(0, 60)}.`
}

function MadeNote({ link }: { link: ShortLink }) {
  const place = useRef<HTMLDivElement>(null)
  useEffect(() => place.current?.querySelector('button')?.focus(), [])
  return (
    <div ref={place} role="status" className="mt-3 flex flex-wrap items-center gap-4 rounded-[7px] bg-sun px-4 py-3">
      <span>
        Ready:{' '}
        <b className="address" data-testid="made">
          {link.address}
        </b>
      </span>
      <CopyButton address={link.address} isMain />
    </div>
  )
}

function ChangeDialog({ link, onClose }: { link: ShortLink; onClose: () => void }) {
  const [destination, setDestination] = useState(link.destination)
  const [title, setTitle] = useState(link.title)
  const [isSure, setSure] = useState(false)
  const ids = { destination: useId(), title: useId() }
  const change = useMutation({
    mutationFn: () => call('short-links.change', { id: link.id, body: { version: link.version, destination, title } }),
    onSuccess: (now) => {
      toast.success(`${now.slug} leads to ${now.destination} now.`)
      onClose()
    },
  })
  const remove = useMutation({
    mutationFn: () => call('short-links.remove', { id: link.id }),
    onSuccess: () => {
      toast.success(`${link.slug} is taken away.`, { duration: 20_000, action: { label: 'Undo', onClick: () => putBack.mutate() } })
      onClose()
    },
  })
  const putBack = useMutation({
    mutationFn: () => call('short-links.putBack', { id: link.id }),
    onSuccess: ({ slug }) => {
      toast.success(`${slug} is back, with its clicks.`)
    },
    onError: (problem) => toast.error(wordsOf(problem)),
  })
  const uses = useAsk('short-links.uses', { id: link.id }, { enabled: isSure })
  const error = change.error ?? remove.error
  return (
    <Dialog title={`Change “${link.slug}”`} isOpen onClose={onClose}>
      <form
        className="grid gap-4"
        onSubmit={(event) => {
          event.preventDefault()
          change.mutate()
        }}
      >
        <p className="note">The short link stays the same wherever it was printed or posted; only where it leads changes.</p>
        <div>
          <label className="field-label" htmlFor={ids.destination}>
            Leads to
          </label>
          <input
            id={ids.destination}
            className="field address"
            value={destination}
            spellCheck={false}
            onChange={(event) => setDestination(event.target.value)}
          />
        </div>
        <div>
          <label className="field-label" htmlFor={ids.title}>
            What it is
          </label>
          <input id={ids.title} className="field" value={title} onChange={(event) => setTitle(event.target.value)} />
        </div>
        {error !== null && (
          <p role="alert" className="text-red">
            {wordsOf(error)}
          </p>
        )}
        {isSure && (
          <div role="note" className="sheet border-l-4 px-3 py-2" style={{ borderLeftColor: 'var(--red)' }}>
            {uses.data === undefined ? (
              <p>{uses.error === null ? 'Looking for pages that lead to it…' : wordsOf(uses.error)}</p>
            ) : uses.data.total === 0 ? (
              <p>No page of yours leads to it. Where it was printed, mailed or posted, people find nothing.</p>
            ) : (
              <>
                <p>
                  {uses.data.total} {uses.data.total === 1 ? 'page leads' : 'pages lead'} to it; their readers would find nothing:
                </p>
                <ul>
                  {uses.data.items.map((page) => (
                    <li key={page.id} className="truncate">
                      <a href={`/pages/${page.id}`}>{page.title}</a> <span className="address text-ink-soft">{page.path}</span>
                    </li>
                  ))}
                </ul>
              </>
            )}
          </div>
        )}
        <div className="flex flex-wrap items-center justify-between gap-3">
          {isSure ? (
            <button
              type="button"
              className="button !border-[var(--red)] text-red"
              disabled={remove.isPending || uses.isPending}
              onClick={() => remove.mutate()}
            >
              Yes, people who follow it find nothing
            </button>
          ) : (
            <button type="button" className="button button-plain text-red" onClick={() => setSure(true)}>
              <Trash2 size={16} aria-hidden="true" />
              Take it away
            </button>
          )}
          <button type="submit" className="button button-main" disabled={change.isPending}>
            Save
          </button>
        </div>
      </form>
    </Dialog>
  )
}
