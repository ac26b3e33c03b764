import { useMutation, useQuery } from '@tanstack/react-query'
import { toast } from 'sonner'
import { Commission, PARTNER_STATUSES, PAYS_EVERY, Partner, type PartnerNew, Payout } from '../../contract/partners.ts'
import { readableAddress } from '../../core/address/index.ts'
import { type ReadExample, tellCommission, templatesFromExample } from '../../core/partners/index.ts'
import { call } from '../../ui/api.ts'
import { Dialog } from '../../ui/Dialog.tsx'
import { isAgreed, Sides, useEdited } from '../../ui/edited.tsx'
import { Form } from '../../ui/Form.tsx'
import { MoneyField, NumberField } from '../../ui/NumberField.tsx'
import { Select } from '../../ui/Select.tsx'
import { useSettled } from '../../ui/settled.ts'
import { TextArea } from '../../ui/TextArea.tsx'
import { TextField } from '../../ui/TextField.tsx'
import { inWords } from '../../words/index.ts'
import { CommissionField } from './CommissionField.tsx'
import { payoutWords, STATUS_WORDS } from './words.ts'

const NOTHING: Partner = {
  ...{
    id: '',
    name: '',
    sites: [],
    template: '',
    account: '',
    what: '',
    networkId: null,
    isNetwork: false,
    status: 'active',
    endsOn: null,
  },
  ...{
    allows: 'any page',
    commission: { kind: 'unknown' },
    currency: 'EUR',
    cookieDays: null,
    isPaid: null,
    contact: '',
    notes: '',
    loginUrl: '',
    hasLogIn: false,
    version: 1,
  },
  payout: { method: '', every: null, day: null, afterMonths: 1, threshold: 0 },
}

/** What the form holds: sites as people write them. */
type Facts = Omit<Partner, 'id' | 'hasLogIn' | 'version' | 'sites'> & { readonly sites: string }
const factsOf = ({ id: _id, hasLogIn: _has, version, sites, ...facts }: Partner): { value: Facts; version: number } => ({
  value: { ...facts, sites: sites.join('\n') },
  version,
})

const FIELD_WORDS: Readonly<Record<keyof Facts, string>> = {
  ...{ name: 'Name', what: 'What they offer', sites: 'Sites', status: 'Status', endsOn: 'Ends on', networkId: 'By way of' },
  ...{ isNetwork: 'Is a network itself', loginUrl: 'Log-in page', account: 'Your number with them', allows: 'Links may lead to' },
  ...{ template: 'Link template', commission: 'Commission', currency: 'Currency', cookieDays: 'Remembers a visitor for (days)' },
  ...{ payout: 'When and how they pay', contact: 'Contact', notes: 'Notes', isPaid: 'Links to it are' },
}
/** One fact in words, for whoever has to choose between two. */
function sayFact(name: keyof Facts, value: unknown, currency: string): string {
  if (name === 'commission') return inWords(tellCommission(Commission.parse(value), currency))
  if (name === 'payout') return payoutWords(Payout.parse(value), currency)
  if (name === 'isPaid') return value === null ? 'as Rules says of all partners' : value === true ? 'paid' : 'not paid'
  if (name === 'isNetwork') return value === true ? 'yes' : 'no'
  return String(value ?? '')
}

/** All facts of a partner, on one calm page. */
export function FactsDialog({
  partner,
  networks,
  onClose,
  onSaved,
}: {
  partner: Partner | null
  networks: readonly Partner[]
  onClose: () => void
  onSaved?: (id: string) => void
}) {
  const edited = useEdited(factsOf(partner ?? NOTHING), { key: `partner ${partner?.id ?? 'new'}` })
  const { value: facts } = edited
  const examples = templatesFromExample(facts.template, { account: facts.account.trim(), sites: hostsIn(facts.sites) })
  const set = <K extends keyof Facts>(key: K, value: Facts[K]): void => edited.set({ [key]: value } as Partial<Facts>)
  const setPayout = (change: Partial<Partner['payout']>): void => set('payout', { ...facts.payout, ...change })
  const save = useMutation({
    mutationFn: () =>
      edited.save(
        ({ sites, ...given }, version) => {
          const body: PartnerNew = { ...given, sites: sites.split(/[\s,]+/).filter((site) => site !== '') }
          return partner === null
            ? call('partners.create', { body })
            : call('partners.change', { id: partner.id, body: { ...body, version } })
        },
        (current) => factsOf(Partner.parse(current)),
      ),
    onSuccess: ({ id, name }) => {
      toast.success(`${name} is saved.`)
      onSaved?.(id)
      onClose()
    },
  })
  const remove = useMutation({
    mutationFn: () => call('partners.remove', { id: partner?.id ?? '' }),
    onSuccess: () => {
      toast.success(`${facts.name} is no partner any more.`)
      onClose()
    },
  })
  return (
    <Dialog title={partner === null ? 'Add a partner' : partner.name} isOpen isWide onClose={onClose}>
      <Form
        sending={save}
        words="Save"
        canSend={isAgreed(edited)}
        error={save.error ?? remove.error}
        beside={
          partner === null ? (
            <span />
          ) : (
            <button type="button" className="button button-plain text-red" onClick={() => remove.mutate()}>
              Remove partner
            </button>
          )
        }
      >
        <Sides edited={edited} words={FIELD_WORDS} show={(value, name) => sayFact(name, value, facts.currency)} />
        <div className="grid grid-cols-2 gap-x-5 gap-y-3.5 max-md:grid-cols-1">
          <TextField label="Name" value={facts.name} onChange={(name) => set('name', name)} required />
          <TextField label="What they offer" value={facts.what} onChange={(what) => set('what', what)} placeholder="rooms, maps, boots" />
          <TextArea label="Sites, one a line" value={facts.sites} onChange={(sites) => set('sites', sites)} isAddress />
          <div className="grid content-start gap-3.5">
            <Select
              label="Status"
              value={facts.status}
              options={PARTNER_STATUSES.map((each) => [each, STATUS_WORDS[each]])}
              onChange={(status) => set('status', status as Partner['status'])}
            />
            <TextField label="Ends on" type="date" value={facts.endsOn ?? ''} onChange={(day) => set('endsOn', day === '' ? null : day)} />
          </div>
          <Select
            label="By way of"
            value={facts.isNetwork ? 'is' : (facts.networkId ?? '')}
            options={[
              ['', 'no network'],
              ...networks.filter(({ id }) => id !== partner?.id).map(({ id, name }) => [id, name] as const),
              ['is', 'it is a network itself'],
            ]}
            onChange={(value) => edited.set({ isNetwork: value === 'is', networkId: value === 'is' || value === '' ? null : value })}
          />
          <Select
            label="Links to it are"
            value={facts.isPaid === null ? '' : facts.isPaid ? 'paid' : 'not'}
            options={[
              ['', 'as Rules says of all partners'],
              ['paid', 'paid: sponsored, nofollow'],
              ['not', 'not paid'],
            ]}
            onChange={(value) => set('isPaid', value === '' ? null : value === 'paid')}
          />
          <TextField label="Log-in page" value={facts.loginUrl} onChange={(url) => set('loginUrl', url)} isAddress />
        </div>
        <fieldset className="grid grid-cols-2 gap-x-5 gap-y-3.5 border-t pt-3 max-md:grid-cols-1">
          <legend className="pr-2 font-display text-[17px] font-semibold">How links are built</legend>
          <TextField
            label="Your number with them"
            value={facts.account}
            onChange={(account) => set('account', account)}
            autoComplete="off"
          />
          <Select
            label="Links may lead to"
            value={facts.allows}
            options={[
              ['any page', 'any page of theirs'],
              ['front page', 'their front page alone'],
            ]}
            onChange={(allows) => set('allows', allows as Partner['allows'])}
          />
          <div className="col-span-2 max-md:col-span-1">
            <TextField
              label="Link template"
              value={facts.template}
              onChange={(template) => set('template', template)}
              isAddress
              placeholder="{url}?ref={account}&s={sub}"
            />
            {examples.length > 0 ? (
              <FromExample found={examples} onTake={({ template, account }) => edited.set({ template, account })} />
            ) : (
              <TemplateTried
                template={facts.template}
                account={facts.account}
                allows={facts.allows}
                site={facts.sites.split(/[\s,]+/)[0] ?? ''}
              />
            )}
          </div>
        </fieldset>
        <fieldset className="grid grid-cols-3 gap-x-5 gap-y-3.5 border-t pt-3 max-md:grid-cols-1">
          <legend className="pr-2 font-display text-[17px] font-semibold">What they pay</legend>
          <div className="col-span-3 max-md:col-span-1">
            <CommissionField
              value={facts.commission}
              currency={facts.currency}
              onChange={(commission: Commission) => set('commission', commission)}
            />
          </div>
          <TextField
            label="Currency"
            value={facts.currency}
            maxLength={3}
            onChange={(currency) => set('currency', currency.toUpperCase())}
          />
          <NumberField
            label="Remembers a visitor for (days)"
            unit="days"
            most={3_650}
            empty="not known"
            value={facts.cookieDays}
            onChange={(days) => set('cookieDays', days)}
          />
          <MoneyField
            key={facts.currency}
            label="Pays from"
            currency={facts.currency}
            empty="any amount"
            value={facts.payout.threshold === 0 ? null : facts.payout.threshold}
            onChange={(threshold) => setPayout({ threshold: threshold ?? 0 })}
          />
          <Select
            label="Pays each"
            value={facts.payout.every ?? ''}
            options={[['', 'not known'], ...PAYS_EVERY.map((each) => [each, each] as const)]}
            onChange={(every) => setPayout({ every: every === '' ? null : (every as (typeof PAYS_EVERY)[number]) })}
          />
          <NumberField
            label="On day of the month"
            least={1}
            most={31}
            empty="not known"
            value={facts.payout.day}
            onChange={(day) => setPayout({ day })}
          />
          <NumberField
            label="Months after the order"
            unit="months"
            most={24}
            value={facts.payout.afterMonths}
            onChange={(afterMonths) => setPayout({ afterMonths: afterMonths ?? 0 })}
          />
          <TextField label="Pays by" value={facts.payout.method} onChange={(method) => setPayout({ method })} placeholder="bank transfer" />
        </fieldset>
        <div className="grid grid-cols-2 gap-x-5 gap-y-3.5 border-t pt-3 max-md:grid-cols-1">
          <TextField label="Contact" value={facts.contact} onChange={(contact) => set('contact', contact)} />
          <TextArea label="Notes" value={facts.notes} onChange={(notes) => set('notes', notes)} />
        </div>
      </Form>
    </Dialog>
  )
}

/** A link that the partner made, pasted in place of a template: shows where the number stands in it, and makes it the template. */
function FromExample({ found, onTake }: { found: readonly ReadExample[]; onTake: (read: ReadExample) => void }) {
  return (
    <div role="status" className="mt-1.5 grid gap-1.5 rounded-md border px-3 py-2">
      <p>
        {found.length === 1
          ? 'This is one of their links. Your number stands here:'
          : 'This is one of their links. Which of these is your number?'}
      </p>
      {found.map((read) => (
        <p key={read.template} className="flex flex-wrap items-center gap-2">
          <button type="button" className="button !min-h-0 !py-0.5 font-normal" onClick={() => onTake(read)}>
            {read.account} is my number
          </button>
          <span className="address text-ink-soft [overflow-wrap:anywhere]">{read.template}</span>
        </p>
      ))}
    </div>
  )
}

/** Hosts as they are typed into the field of a partner's sites. */
const hostsIn = (sites: string): string[] =>
  sites
    .split(/[\s,]+/)
    .filter((site) => site !== '')
    .map((site) =>
      site
        .replace(/^https?:\/\//, '')
        .replace(/\/.*$/, '')
        .replace(/^www\./, ''),
    )

/** What becomes of an example, while the template is written. */
function TemplateTried({
  template,
  account,
  allows,
  site,
}: {
  template: string
  account: string
  allows: Partner['allows']
  site: string
}) {
  const settled = useSettled(template.trim(), 200)
  const example = `https://${site === '' ? 'shop.example' : site.replace(/^https?:\/\//, '').replace(/\/.*$/, '')}/a/page?colour=tar`
  const tried = useQuery({
    queryKey: ['template', settled, account, allows, example],
    queryFn: () => call('partner-links.tryTemplate', { body: { template: settled, account, allows, example } }),
    enabled: settled !== '',
    placeholderData: (before) => before,
  })
  if (settled === '')
    return (
      <p className="note mt-1">
        Paste one of their links that has your number in it, or write what all of them look like. Where it stays empty, their plain
        addresses count. A template knows {'{account}'}, {'{url}'}, {'{path}'} and {'{sub}'}.
      </p>
    )
  if (tried.data === undefined) return <p className="note mt-1">…</p>
  return tried.data.address === null ? (
    <p role="alert" className="mt-1 text-red">
      {tried.data.why}
    </p>
  ) : (
    <p className="note mt-1" aria-live="polite">
      A page of theirs becomes <span className="address text-ink">{readableAddress(tried.data.address)}</span>
    </p>
  )
}
