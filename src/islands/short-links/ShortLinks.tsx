import { useState } from 'react'
import type { ShortLink, ShortLinkList, ShortLinkQuery } from '../../contract/short-links.ts'
import { Problem } from '../../ui/Form.tsx'
import { MoreButton, SearchField, useLongList } from '../../ui/long-list.tsx'
import { Queries, useAsk } from '../../ui/query.tsx'
import { useOneStop } from '../../ui/roving.ts'
import { Select } from '../../ui/Select.tsx'
import { ToChanges } from '../../ui/ToChanges.tsx'
import { number } from '../../words/index.ts'
import { BringInList } from './BringInList.tsx'
import { CampaignDialog } from './CampaignDialog.tsx'
import { ChosenBar } from './ChosenBar.tsx'
import { FromAnyPage } from './FromAnyPage.tsx'
import { PasteBar } from './PasteBar.tsx'
import { Row } from './Row.tsx'

interface ShortLinksProps {
  initial: ShortLinkList
  /** An address that was brought along, by the bookmark or by sharing; null for none. */
  given: { paste: string; title: string } | null
  /** That the screen was asked for with; "" for none. */
  tag: string
  canEdit: boolean
  canExport: boolean
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
    ? `more than ${number(COUNTED_MAX)} short links`
    : `${number(total)} short ${total === 1 ? 'link' : 'links'}`

function ShortLinksView({ initial, given, tag: firstTag, canEdit, canExport, hasHost, canAddHost }: ShortLinksProps) {
  // Clicks are watched for on the first page; somebody far down a long list is looking for something else.
  const [tag, setTag] = useState(firstTag)
  const [narrowed, setNarrowed] = useState<Narrowed>({})
  const list = useLongList(
    'short-links.list',
    (search) => ({ query: { limit: PAGE_ROWS, search, ...(tag === '' ? {} : { tag }), ...narrowed } }),
    {
      ...(tag === firstTag && Object.keys(narrowed).length === 0 ? { initial } : {}),
      refreshMs: CLICKS_EVERY_MS,
    },
  )
  const { data: tags } = useAsk('short-links.tags', {})
  const stop = useOneStop<HTMLUListElement>()
  const { wanted, error } = list
  const links = list.pages?.flatMap(({ items }) => items)
  const total = list.pages?.[0]?.total
  const [chosen, setChosen] = useState<ReadonlyMap<string, ShortLink>>(new Map())
  const [open, setOpen] = useState<'list' | 'campaign' | null>(null)
  const choose = (link: ShortLink, isChosen: boolean): void => {
    const next = new Map(chosen)
    if (isChosen) next.set(link.id, link)
    else next.delete(link.id)
    setChosen(next)
  }
  return (
    <div className="mx-auto grid max-w-[1120px] gap-5 px-5 py-7 max-md:px-3">
      <header className="flex flex-wrap items-baseline gap-x-4 gap-y-2">
        <h1 className="text-[26px]">Short links</h1>
        <p className="text-ink-soft">sayable addresses of your own, for long ones that may change</p>
        <span className="ml-auto flex flex-wrap gap-2 max-md:ml-0">
          <ToChanges kind="short-links" />
          {canEdit && hasHost && (
            <>
              <button type="button" className="button" onClick={() => setOpen('campaign')}>
                A campaign
              </button>
              <button type="button" className="button" onClick={() => setOpen('list')}>
                Bring in a list
              </button>
            </>
          )}
          {canExport && (
            <a className="button" href="/api/v1/exports/short-links.csv" download="short-links.csv">
              Take them along (CSV)
            </a>
          )}
        </span>
      </header>
      {canEdit && hasHost && (
        <div>
          <PasteBar given={given} />
          <FromAnyPage />
        </div>
      )}
      {!hasHost && <NoHost canAdd={canAddHost} />}
      <section aria-label="Short links" className="sheet overflow-hidden">
        <div className="flex flex-wrap items-center justify-between gap-3 border-b px-4 py-2.5">
          <p aria-live="polite">{total === undefined ? 'Looking…' : countWords(total, wanted !== '')}</p>
          <NarrowBar narrowed={narrowed} onChange={setNarrowed} />
          <SearchField label="Find a short link" hint="Find by word or address" value={list.search} onChange={list.setSearch} />
        </div>
        {(tags?.items.length ?? 0) > 0 && (
          <fieldset className="flex flex-wrap items-center gap-1.5 border-b px-4 py-2">
            <legend className="sr-only">Only those with a tag</legend>
            {tags?.items.slice(0, 14).map((each) => (
              <button
                key={each.tag}
                type="button"
                className="chip aria-pressed:bg-sun aria-pressed:font-semibold"
                aria-pressed={tag === each.tag}
                onClick={() => setTag(tag === each.tag ? '' : each.tag)}
              >
                {each.tag} <span className="text-ink-soft">{each.links}</span>
              </button>
            ))}
          </fieldset>
        )}
        <Problem error={error} className="px-4 py-3" />
        {links?.length === 0 && (
          <p className="px-4 py-10 text-center text-ink-soft">
            {Object.keys(narrowed).some((name) => name !== 'sort') || narrowed.sort === 'ending'
              ? 'None is like that.'
              : wanted !== ''
                ? `None has “${wanted}” in it.`
                : canEdit && hasHost
                  ? 'None yet. Paste a long address above, and it gets a short one.'
                  : 'None yet.'}
          </p>
        )}
        <ul {...stop} className="divide-y" aria-label="Short links">
          {links?.map((link) => (
            <Row
              key={link.id}
              link={link}
              isChosen={chosen.has(link.id)}
              onChoose={canEdit ? (isChosen) => choose(link, isChosen) : null}
            />
          ))}
        </ul>
        <MoreButton list={list} shown={links?.length ?? 0} />
      </section>
      {chosen.size > 0 && <ChosenBar links={[...chosen.values()]} onDone={() => setChosen(new Map())} />}
      {open === 'list' && <BringInList onClose={() => setOpen(null)} />}
      {open === 'campaign' && <CampaignDialog onClose={() => setOpen(null)} />}
    </div>
  )
}

/** What of the list is shown, and in which order; what is left out narrows nothing. */
type Narrowed = Pick<Partial<ShortLinkQuery>, 'state' | 'host' | 'partner' | 'sort'>

const SORT_WORDS = { newest: 'newest first', clicks: 'most clicks first', ending: 'ending soonest' } as const
const STATE_CHOICES = {
  answers: 'that answer',
  'not yet': 'that do not answer yet',
  over: 'that are over',
  down: 'whose destination is down',
} as const

function NarrowBar({ narrowed, onChange }: { narrowed: Narrowed; onChange: (next: Narrowed) => void }) {
  const { data: hosts } = useAsk('hosts.list', {})
  const { data: partners } = useAsk('partners.list', {})
  const short = (hosts?.items ?? []).filter(({ kind }) => kind === 'short')
  const pick = <K extends keyof Narrowed>(name: K, label: string, options: readonly (readonly [string, string])[]) => (
    <Select
      label={label}
      isLabelHidden
      className="!w-auto !min-h-8 max-w-full !py-1 text-[14px]"
      value={narrowed[name] ?? ''}
      options={options}
      onChange={(value) => {
        const { [name]: _, ...rest } = narrowed
        onChange(value === '' ? rest : { ...rest, [name]: value })
      }}
    />
  )
  return (
    <div className="flex flex-1 flex-wrap items-center gap-2">
      {pick('sort', 'Order', [
        ['', SORT_WORDS.newest],
        ['clicks', SORT_WORDS.clicks],
        ['ending', SORT_WORDS.ending],
      ])}
      {pick('state', 'State', [['', 'all of them'], ...Object.entries(STATE_CHOICES)])}
      {short.length > 1 && pick('host', 'Host', [['', 'on any host'], ...short.map(({ host }) => [host, `on ${host}`] as const)])}
      {(partners?.items.length ?? 0) > 0 &&
        pick('partner', 'Partner', [
          ['', 'wherever they lead'],
          ...(partners?.items ?? []).filter(({ isNetwork }) => !isNetwork).map(({ id, name }) => [id, `to ${name}`] as const),
        ])}
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
