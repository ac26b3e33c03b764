import { useEffect, useState } from 'react'
import type { PartnerComparison } from '../../contract/partners.ts'
import { Queries, useAsk } from '../../ui/query.tsx'
import { ToChanges } from '../../ui/ToChanges.tsx'
import type { InWords } from '../../words/index.ts'
import { Card } from './Card.tsx'
import { Compared } from './Compared.tsx'
import { Disclosures } from './Disclosures.tsx'
import { Earnings } from './Earnings.tsx'
import { FactsDialog } from './FactsDialog.tsx'
import { PhraseReview } from './PhraseReview.tsx'
import { Phrases } from './Phrases.tsx'
import { dayWords, money, openOf } from './words.ts'

interface PartnersProps {
  initial: InWords<PartnerComparison>
  canEdit: boolean
  canLink: boolean
  canPublish: boolean
}

export function Partners(props: PartnersProps) {
  return (
    <Queries>
      <View {...props} />
    </Queries>
  )
}

const VIEWS = [
  ['card', 'Programmes'],
  ['compare', 'Side by side'],
  ['phrases', 'Phrases'],
  ['disclosure', 'Disclosure'],
  ['earnings', 'Earnings'],
] as const
type ViewName = (typeof VIEWS)[number][0]

function View({ initial, canEdit, canLink, canPublish }: PartnersProps) {
  const { data } = useAsk('partners.compare', {}, { initialData: initial })
  const [view, setView] = useState<ViewName>('card')
  const [chosenId, setChosenId] = useState<string | null>(null)
  const [isAdding, setAdding] = useState(false)
  const partners = data.items.filter(({ partner }) => !partner.isNetwork)
  const networks = data.items.filter(({ partner }) => partner.isNetwork)
  const chosen = data.items.find(({ partner }) => partner.id === chosenId) ?? partners[0] ?? networks[0]
  useEffect(() => {
    const asked = new URLSearchParams(location.search)
    setView(VIEWS.find(([name]) => name === asked.get('view'))?.[0] ?? 'card')
    setChosenId(asked.get('partner'))
  }, [])
  const show = (next: ViewName, partnerId: string | null = chosenId): void => {
    setView(next)
    setChosenId(partnerId)
    const query = new URLSearchParams({ ...(next === 'card' ? {} : { view: next }), ...(partnerId === null ? {} : { partner: partnerId }) })
    history.replaceState(null, '', query.size === 0 ? location.pathname : `?${query}`)
  }
  return (
    <div className="flex h-full flex-col max-lg:h-auto">
      <header className="flex flex-wrap items-center gap-x-5 gap-y-2 px-5 pt-4 pb-2 max-md:px-3">
        <h1 className="text-[26px]">Partners</h1>
        <nav aria-label="Views of partners" className="flex flex-wrap gap-1.5">
          {VIEWS.map(([name, words]) => (
            <button
              key={name}
              type="button"
              className="chip aria-[current]:border-ink aria-[current]:font-semibold"
              aria-current={view === name ? 'page' : undefined}
              onClick={() => show(name)}
            >
              {words}
            </button>
          ))}
        </nav>
        <span className="ml-auto flex flex-wrap gap-2">
          <ToChanges kind="partners" />
          {canEdit && (
            <button type="button" className="button" onClick={() => setAdding(true)}>
              Add a partner
            </button>
          )}
        </span>
      </header>
      {view === 'card' && (
        <div className="grid min-h-0 flex-1 grid-cols-[232px_minmax(0,1fr)_370px] max-xl:grid-cols-[220px_minmax(0,1fr)] max-lg:block">
          <ul
            aria-label="All partners"
            className="min-h-0 space-y-2 overflow-y-auto px-4 py-3 max-lg:flex max-lg:gap-2 max-lg:space-y-0 max-lg:overflow-x-auto max-md:px-3"
          >
            {partners.map((each) => (
              <Choice key={each.partner.id} compared={each} isChosen={each === chosen} onChoose={() => show('card', each.partner.id)} />
            ))}
            {networks.map((each) => (
              <li key={each.partner.id} className="max-lg:shrink-0">
                <button
                  type="button"
                  className="w-full px-1 text-left text-[14px] text-ink-soft max-lg:max-w-[200px]"
                  aria-current={each === chosen ? 'true' : undefined}
                  onClick={() => show('card', each.partner.id)}
                >
                  by way of <b className="font-semibold text-ink underline underline-offset-3">{each.partner.name}</b>
                  {each.partner.what === '' ? '' : `, which ${each.partner.what}`}
                  {each.partner.hasLogIn ? ' · one log-in' : ''}
                </button>
              </li>
            ))}
          </ul>
          {chosen === undefined ? (
            <p className="px-5 py-10 text-center text-ink-soft">
              No partner yet. Add the first one: its name and its site are enough to see which of your links should be marked as paid.
            </p>
          ) : (
            <Card
              key={chosen.partner.id}
              compared={chosen}
              networks={networks.map(({ partner }) => partner)}
              canEdit={canEdit}
              onShow={show}
            />
          )}
          <PhraseReview canLink={canLink} onPhrases={() => show('phrases')} />
        </div>
      )}
      <div className={`min-h-0 flex-1 overflow-y-auto px-5 py-3 max-md:px-3 ${view === 'card' ? 'hidden' : ''}`}>
        {view === 'compare' && <Compared items={data.items} onChoose={(id) => show('card', id)} />}
        {view === 'phrases' && <Phrases partners={partners.map(({ partner }) => partner)} canEdit={canEdit} />}
        {view === 'disclosure' && <Disclosures canEdit={canEdit} canPublish={canPublish} />}
        {view === 'earnings' && <Earnings partners={data.items.map(({ partner }) => partner)} canEdit={canEdit} />}
      </div>
      {isAdding && (
        <FactsDialog
          partner={null}
          networks={networks.map(({ partner }) => partner)}
          onClose={() => setAdding(false)}
          onSaved={(id) => show('card', id)}
        />
      )}
    </div>
  )
}

function Choice({
  compared,
  isChosen,
  onChoose,
}: {
  compared: InWords<PartnerComparison>['items'][number]
  isChosen: boolean
  onChoose: () => void
}) {
  const { partner, reminders, payDay } = compared
  const open = openOf(compared)
  const [reminder] = reminders
  return (
    <li className="max-lg:w-[210px] max-lg:shrink-0">
      <button
        type="button"
        aria-current={isChosen ? 'true' : undefined}
        className="sheet w-full px-3 py-2.5 text-left aria-[current]:border-2 aria-[current]:border-ink aria-[current]:px-[11px] aria-[current]:py-[9px]"
        onClick={onChoose}
      >
        <span className="flex items-baseline justify-between gap-2">
          <b className="min-w-0 truncate font-semibold">{partner.name}</b>
          <span className="text-[14px] whitespace-nowrap tabular-nums">{open === 0 ? '–' : money(open, partner.currency)}</span>
        </span>
        <span className="flex flex-wrap items-baseline justify-between gap-x-2 text-[13.5px]">
          <span className="text-ink-soft">{partner.what}</span>
          {reminder !== undefined ? (
            <span className={reminder.what === 'threshold reached' ? 'text-sea' : 'text-red'}>{reminder.words}</span>
          ) : (
            payDay !== null && <span className="text-ink-soft">pays {dayWords(payDay)}</span>
          )}
        </span>
      </button>
    </li>
  )
}
