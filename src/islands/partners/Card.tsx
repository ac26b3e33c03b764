import { useMutation } from '@tanstack/react-query'
import { useState } from 'react'
import { toast } from 'sonner'
import type { ComparedPartner, LogIn, Partner } from '../../contract/partners.ts'
import { readableAddress } from '../../core/address/index.ts'
import { call, wordsOf } from '../../ui/api.ts'
import type { InWords } from '../../words/index.ts'
import { Banners } from './Banners.tsx'
import { FactsDialog } from './FactsDialog.tsx'
import { LogInDialog } from './LogInDialog.tsx'
import { MakeLink } from './MakeLink.tsx'
import { MoveDialog } from './MoveDialog.tsx'
import { dayWords, money, payoutWords, STATUS_WORDS } from './words.ts'

/** One partner, as a summary: what it pays, when, and where to log in. */
export function Card({
  compared,
  networks,
  canEdit,
  onShow,
}: {
  compared: InWords<ComparedPartner>
  networks: readonly Partner[]
  canEdit: boolean
  onShow: (view: 'earnings' | 'disclosure' | 'phrases') => void
}) {
  const { partner, pays, earned, links, shortLinks, redirects, reminders, payDay } = compared
  const [open, setOpen] = useState<'facts' | 'log-in' | 'move' | null>(null)
  const main = earned.find(({ currency }) => currency === partner.currency)
  const confirmed = main?.confirmed ?? 0
  const network = networks.find(({ id }) => id === partner.networkId)
  const close = (): void => setOpen(null)
  return (
    <article aria-label={partner.name} className="min-h-0 overflow-y-auto border-l px-5 py-3 max-lg:border-l-0 max-md:px-3">
      <header className="mb-3 flex flex-wrap items-baseline justify-between gap-x-3">
        <div>
          <h2 className="text-[23px]">{partner.name}</h2>
          <p className="text-ink-soft">
            {[partner.what, ...partner.sites]
              .filter((part) => part !== '')
              .map((part, i) => (
                <span key={part}>
                  {i > 0 && ' · '}
                  {part === partner.what ? part : <span className="address">{part}</span>}
                </span>
              ))}
            {partner.status !== 'active' && <b className="text-red"> · {STATUS_WORDS[partner.status]}</b>}
          </p>
        </div>
        {canEdit && (
          <button type="button" className="button" onClick={() => setOpen('facts')}>
            Change facts
          </button>
        )}
      </header>
      {reminders.length > 0 && (
        <ul className="mb-3 grid gap-1">
          {reminders.map(({ what, words }) => (
            <li key={what} className={what === 'threshold reached' ? 'text-sea' : 'text-red'}>
              {words}
            </li>
          ))}
        </ul>
      )}
      <dl className="sheet divide-y px-4">
        <Fact name="Pays">{pays}</Fact>
        <Fact name="Remembers">
          {partner.cookieDays === null
            ? 'not known yet'
            : partner.cookieDays === 0
              ? 'a visitor for that visit'
              : `a visitor for ${partner.cookieDays} days`}
        </Fact>
        <Fact name="Pays out">
          {payoutWords(partner.payout, partner.currency)}
          {main !== undefined && <span className="text-ink-soft"> · {money(confirmed, partner.currency)} confirmed so far</span>}
          {payDay !== null && <span className="text-ink-soft">, expected {dayWords(payDay)}</span>}
          {partner.payout.threshold > 0 && (
            <span
              className="mt-1.5 block h-1.5 max-w-60 overflow-hidden rounded-full bg-[color-mix(in_srgb,var(--ink)_12%,transparent)]"
              role="img"
              aria-label={`${Math.min(100, Math.floor((100 * confirmed) / partner.payout.threshold))} % of the payout threshold`}
            >
              <span className="block h-full bg-sea" style={{ width: `${Math.min(100, (100 * confirmed) / partner.payout.threshold)}%` }} />
            </span>
          )}
        </Fact>
        <LogInFact partner={partner} network={network} canEdit={canEdit} onChange={() => setOpen('log-in')} />
        {network !== undefined && <Fact name="By way of">{network.name}</Fact>}
        {partner.endsOn !== null && <Fact name="Ends">{dayWords(partner.endsOn)}</Fact>}
        {partner.contact !== '' && <Fact name="Contact">{partner.contact}</Fact>}
        {partner.notes !== '' && (
          <Fact name="Notes">
            <span className="whitespace-pre-wrap">{partner.notes}</span>
          </Fact>
        )}
      </dl>
      <MakeLink partner={partner} />
      <p className="mt-3 flex flex-wrap gap-2">
        <a className="chip no-underline" href={`/links?partner=${partner.id}`}>
          {links} {links === 1 ? 'link' : 'links'}
        </a>
        <a className="chip no-underline" href={`/short-links?search=${encodeURIComponent(partner.sites[0] ?? partner.name)}`}>
          {shortLinks} short {shortLinks === 1 ? 'link' : 'links'}
        </a>
        <a className="chip no-underline" href="/redirects">
          {redirects} {redirects === 1 ? 'redirect' : 'redirects'}
        </a>
        <button type="button" className="chip" onClick={() => onShow('earnings')}>
          {main === undefined ? 'no report yet' : `${main.orders} orders`}
        </button>
        <button type="button" className="chip" onClick={() => onShow('disclosure')}>
          disclosure
        </button>
        {canEdit && links + shortLinks + redirects > 0 && (
          <button type="button" className="chip" onClick={() => setOpen('move')}>
            point them elsewhere
          </button>
        )}
      </p>
      <Banners partner={partner} canEdit={canEdit} />
      {open === 'facts' && <FactsDialog partner={partner} networks={networks} onClose={close} />}
      {open === 'move' && <MoveDialog partner={partner} onClose={close} />}
      {open === 'log-in' && <LogInDialog partner={partner} onClose={close} />}
    </article>
  )
}

function Fact({ name, children }: { name: string; children: React.ReactNode }) {
  return (
    <div className="grid grid-cols-[110px_minmax(0,1fr)] gap-3 py-2 max-md:grid-cols-1 max-md:gap-0">
      <dt className="text-[14px] font-semibold text-ink-soft">{name}</dt>
      <dd>{children}</dd>
    </div>
  )
}

/** Name and password go from the server to the clipboard; the screen shows neither. */
function LogInFact({
  partner,
  network,
  canEdit,
  onChange,
}: {
  partner: Partner
  network: Partner | undefined
  canEdit: boolean
  onChange: () => void
}) {
  const holder = partner.hasLogIn || network === undefined ? partner : network
  const page = partner.loginUrl === '' ? (network?.loginUrl ?? '') : partner.loginUrl
  const copy = useMutation({
    mutationFn: async (what: keyof LogIn) => {
      const logIn = await call('partners.reveal', { id: partner.id })
      await navigator.clipboard.writeText(logIn[what])
      return what
    },
    onSuccess: (what) =>
      toast.success(what === 'name' ? 'The name is copied.' : 'The password is copied. It was written down that you asked for it.'),
    onError: (failure) => toast.error(wordsOf(failure)),
  })
  return (
    <Fact name="Log in">
      {page === '' && !holder.hasLogIn ? (
        'nothing kept yet'
      ) : (
        <span className="address">{readableAddress(page.replace(/^https?:\/\//, '').replace(/\/$/, ''))}</span>
      )}
      <span className="flex flex-wrap gap-x-3">
        {page !== '' && (
          <a className="underline" href={page} target="_blank" rel="noopener noreferrer">
            open
          </a>
        )}
        {holder.hasLogIn && canEdit && (
          <>
            <button type="button" className="underline" disabled={copy.isPending} onClick={() => copy.mutate('name')}>
              copy name
            </button>
            <button type="button" className="underline" disabled={copy.isPending} onClick={() => copy.mutate('password')}>
              copy password
            </button>
          </>
        )}
        {canEdit && (
          <button type="button" className="underline" onClick={onChange}>
            {partner.hasLogIn ? 'change' : 'keep a log-in'}
          </button>
        )}
      </span>
      {holder !== partner && holder.hasLogIn && <span className="note block">by {holder.name}’s log-in</span>}
    </Fact>
  )
}
