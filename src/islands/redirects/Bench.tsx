import { useId, useState } from 'react'
import type { BenchAnswer, RedirectNew } from '../../contract/redirects.ts'
import { readableAddress } from '../../core/address/index.ts'
import { Problem } from '../../ui/Form.tsx'
import { useAsk } from '../../ui/query.tsx'
import { Select } from '../../ui/Select.tsx'
import { useSettled } from '../../ui/settled.ts'
import { useKeptText } from '../../ui/unsaved.ts'
import { Way, type WayEnd } from '../../ui/Way.tsx'
import { languageName } from '../../words/index.ts'
import { bare, DEVICE_WORDS, whyWords } from './words.ts'

const TYPED_MS = 250
/** Rows that are told one by one; an address that brings up more is told how many. */
const TOLD = 6
const LANGUAGES = ['en', 'de', 'fr', 'es', 'it', 'nl', 'da', 'sv', 'nb', 'pl', 'pt'] as const

/** An address is tried: what answers, why nothing else does, and where it leads in the end. */
export function Bench({
  canEdit,
  onMake,
  onChange,
}: {
  canEdit: boolean
  /** Makes a row from an address. */
  onMake: (row: RedirectNew) => void
  /** Opens a row. */
  onChange: (id: string) => void
}) {
  const [address, setAddress] = useKeptText('bench')
  const [device, setDevice] = useState<'' | keyof typeof DEVICE_WORDS>('')
  const [language, setLanguage] = useState('')
  const [day, setDay] = useState('')
  const [isDraft, setDraft] = useState(false)
  const ids = { address: useId(), day: useId() }
  const wanted = useSettled(address.trim(), TYPED_MS)
  const { data, error, isFetching } = useAsk(
    'redirects.bench',
    {
      body: {
        address: wanted,
        ...(device === '' ? {} : { device }),
        ...(language === '' ? {} : { language }),
        ...(day === '' ? {} : { at: `${day}T12:00:00.000Z` }),
        ...(isDraft && day === '' ? { draft: true } : {}),
      },
    },
    { enabled: wanted !== '', retry: false, placeholderData: (before) => before },
  )
  const answering = data?.row ?? null
  return (
    <section aria-label="Bench" className="sheet px-4 py-3">
      <div className="flex flex-wrap items-center gap-2.5">
        <label htmlFor={ids.address} className="font-display text-[17px] font-semibold">
          Bench
        </label>
        <input
          id={ids.address}
          className="field address !w-auto min-w-[200px] flex-1"
          placeholder="/an/address to try"
          autoComplete="off"
          spellCheck={false}
          value={address}
          onChange={(event) => setAddress(event.target.value)}
          onKeyDown={(event) => {
            if (event.key !== 'Enter' || !canEdit || data === undefined) return
            event.preventDefault()
            if (answering !== null) onChange(answering.id)
            else onMake({ from: address.trim() })
          }}
        />
        <Select
          label="Device"
          isLabelHidden
          className="!w-auto"
          value={device}
          options={[['', 'any device'], ...Object.entries(DEVICE_WORDS)]}
          onChange={(value) => setDevice(value as typeof device)}
        />
        <Select
          label="Language"
          isLabelHidden
          className="!w-auto"
          value={language}
          options={[['', 'any language'], ...LANGUAGES.map((tag) => [tag, languageName(tag)] as const)]}
          onChange={setLanguage}
        />
        <label htmlFor={ids.day} className="note">
          as of
        </label>
        <input id={ids.day} type="date" className="field !w-auto" value={day} onChange={(event) => setDay(event.target.value)} />
      </div>
      <label className="note mt-2 flex items-center gap-2">
        <input
          type="checkbox"
          className="!h-5 !w-5"
          disabled={day !== ''}
          checked={isDraft}
          onChange={({ target }) => setDraft(target.checked)}
        />
        as if the rows that are switched off were on
      </label>
      <Problem error={wanted === '' ? null : error} className="mt-2" />
      {wanted !== '' && data !== undefined && error === null && (
        <Answer answer={data} address={wanted} canEdit={canEdit} isOld={isFetching} onMake={onMake} onChange={onChange} />
      )}
      {wanted === '' && (
        <p className="note mt-1">What would answer an address, and why: type one. Enter then opens the row that answers, or makes one.</p>
      )}
    </section>
  )
}

function Answer({
  answer: { row, considered, rope, answer },
  address,
  canEdit,
  isOld,
  onMake,
  onChange,
}: {
  answer: BenchAnswer
  address: string
  canEdit: boolean
  isOld: boolean
  onMake: (row: RedirectNew) => void
  onChange: (id: string) => void
}) {
  const last = rope[rope.length - 1]
  const statuses = rope.flatMap(({ by, status }) =>
    status !== null && (by === 'redirect' || by === 'short link' || by === 'capitals') ? [status] : [],
  )
  const end: WayEnd =
    last?.by === 'loop' || last?.by === 'too long'
      ? 'round'
      : last?.by === 'page'
        ? 'here'
        : last?.by === 'outside'
          ? 'elsewhere'
          : last?.by === 'redirect'
            ? 'gone'
            : 'nothing'
  const others = considered.filter(({ id }) => id !== row?.id)
  return (
    <div className={`mt-3 grid gap-2 ${isOld ? 'opacity-60' : ''}`} aria-live="polite">
      <p className="flex flex-wrap items-center gap-x-4 gap-y-1">
        <Way statuses={statuses} end={end} width={Math.min(420, 160 + 70 * statuses.length)} />
        <span className="address">{last === undefined ? '' : bare(last.address)}</span>
        <span className="text-ink-soft">{endWords(last)}</span>
      </p>
      {rope.some(({ by }) => by === 'capitals') && (
        <p className="note">
          The page stands there in other capitals, and visitors are led to it by themselves: capitals do not matter on this site.
        </p>
      )}
      <ul className="grid gap-1">
        {row !== null && (
          <li className="flex items-baseline gap-2.5">
            <span aria-hidden="true">●</span>
            <span>
              <b>This row answers</b>: {row.match === 'under' ? 'everything under ' : ''}
              <span className="address">{readableAddress(row.from)}</span>
              {answer?.location !== null && answer !== undefined && answer !== null ? <> with {answer.status}</> : null}{' '}
              {canEdit && (
                <button type="button" className="underline" onClick={() => onChange(row.id)}>
                  open it
                </button>
              )}
            </span>
          </li>
        )}
        {row === null && (
          <li className="flex items-baseline gap-2.5">
            <span aria-hidden="true">○</span>
            <span>
              {rope[0]?.by === 'page'
                ? 'A page is published there: no row has to answer.'
                : rope[0]?.by === 'short link'
                  ? 'A short link answers.'
                  : rope[0]?.by === 'outside'
                    ? 'The site behind the front door answers.'
                    : 'No row answers.'}{' '}
              {canEdit && rope[0]?.by === 'nothing' && (
                <button type="button" className="underline" onClick={() => onMake({ from: address })}>
                  make one
                </button>
              )}
            </span>
          </li>
        )}
        {others.slice(0, TOLD).map((each) => (
          <li key={each.id} className="flex items-baseline gap-2.5 text-ink-soft">
            <span aria-hidden="true">○</span>
            <span>
              <span className="address">{readableAddress(each.from)}</span> {whyWords(each)}
              {canEdit && (
                <>
                  {' · '}
                  <button type="button" className="underline" onClick={() => onChange(each.id)}>
                    open it<span className="sr-only">: {each.from}</span>
                  </button>
                </>
              )}
            </span>
          </li>
        ))}
        {others.length > TOLD && <li className="note">{others.length - TOLD} more rows were asked.</li>}
      </ul>
    </div>
  )
}

function endWords(last: BenchAnswer['rope'][number] | undefined): string {
  switch (last?.by) {
    case 'page':
      return 'lands'
    case 'outside':
      return 'leaves the site'
    case 'loop':
      return 'goes round in a circle'
    case 'too long':
      return 'is sent on too often'
    case 'redirect':
      return last.status === 410 ? 'gone for good' : 'ends there'
    default:
      return 'nothing there'
  }
}
