import { useMutation } from '@tanstack/react-query'
import { useId, useState } from 'react'
import { toast } from 'sonner'
import { type RedirectNew, RedirectRow, type RedirectSays, type RedirectWhen } from '../../contract/redirects.ts'
import { DEVICES } from '../../core/clicks/index.ts'
import { PRECEDENCE, QUERY_HABITS, REDIRECT_MATCHES, REDIRECT_STATUSES } from '../../core/routing/index.ts'
import { call, Refusal, wordsOf } from '../../ui/api.ts'
import { Dialog } from '../../ui/Dialog.tsx'
import { isAgreed, Sides, useEdited } from '../../ui/edited.tsx'
import { Form } from '../../ui/Form.tsx'
import { PartnerOffer } from '../../ui/PartnerOffer.tsx'
import { useAsk } from '../../ui/query.tsx'
import { TextField } from '../../ui/TextField.tsx'
import { OutcomeNote, tellRow } from './Outcome.tsx'
import { useRowActions } from './Table.tsx'
import { DEVICE_WORDS, MATCH_WORDS, QUERY_WORDS, STATUS_WORDS } from './words.ts'

/** What a form holds of a row; conditions as people write them. */
interface Draft extends Omit<RedirectSays, 'when'> {
  readonly params: string
  readonly noOther: boolean
  readonly languages: string
  readonly devices: readonly (typeof DEVICES)[number][]
  readonly since: string
  readonly until: string
}

const draftOf = (row: RedirectRow | null, given: RedirectNew | null): Draft => {
  const when = row?.when ?? given?.when ?? {}
  return {
    from: row?.from ?? given?.from ?? '',
    to: row?.to ?? given?.to ?? '',
    status: row?.status ?? given?.status ?? 301,
    match: row?.match ?? given?.match ?? 'exact',
    query: row?.query ?? given?.query ?? 'pass',
    note: row?.note ?? given?.note ?? '',
    isOn: row?.isOn ?? true,
    beatsPages: row?.beatsPages ?? false,
    isHidden: row?.isHidden ?? true,
    hosts: row?.hosts ?? given?.hosts ?? [],
    params: (when.query ?? []).map(({ name, value }) => (value === null ? name : `${name}=${value}`)).join('\n'),
    noOther: when.noOtherQuery ?? false,
    languages: (when.languages ?? []).join(' '),
    devices: when.devices ?? [],
    since: localTime(when.from),
    until: localTime(when.until),
  }
}

/** As a field for a time takes it: in this computer's zone. */
function localTime(iso: string | undefined): string {
  if (iso === undefined) return ''
  const at = new Date(iso)
  return new Date(at.getTime() - at.getTimezoneOffset() * 60_000).toISOString().slice(0, 16)
}

const whenOf = ({ params, noOther, languages, devices, since, until }: Draft): RedirectWhen => ({
  ...(params.trim() === ''
    ? {}
    : {
        query: params
          .split('\n')
          .map((each) => each.trim())
          .filter((each) => each !== '')
          .map((each) => {
            const at = each.indexOf('=')
            return at === -1 ? { name: each, value: null } : { name: each.slice(0, at), value: each.slice(at + 1) }
          }),
      }),
  ...(noOther ? { noOtherQuery: true } : {}),
  ...(languages.trim() === ''
    ? {}
    : {
        languages: languages
          .toLowerCase()
          .split(/[\s,]+/)
          .filter((tag) => tag !== ''),
      }),
  ...(devices.length === 0 ? {} : { devices: [...devices] }),
  ...(since === '' ? {} : { from: new Date(since).toISOString() }),
  ...(until === '' ? {} : { until: new Date(until).toISOString() }),
})

/** What is sent of a form. */
const rowOf = (draft: Draft): RedirectSays => {
  const { from, to, status, match, query, note, isOn, beatsPages, isHidden, hosts } = draft
  return {
    from,
    to: status < 400 ? to : '',
    status,
    match,
    query,
    note,
    isOn,
    beatsPages,
    isHidden,
    hosts: [...hosts],
    when: whenOf(draft),
  }
}

const FIELD_WORDS: Readonly<Record<keyof Draft, string>> = {
  ...{ from: 'Asked for', to: 'Lands on', status: 'Status', match: 'It means', query: 'The query', note: 'Note', isOn: 'On' },
  ...{
    beatsPages: 'Answers although a page is published there',
    isHidden: 'Kept out of menus and the sitemap',
    hosts: 'Only on these hosts',
  },
  ...{ params: 'Only with these parameters', noOther: 'And with no others', languages: 'Only for these languages' },
  ...{ devices: 'Only for these devices', since: 'From this moment on', until: 'Until this moment' },
}
function sayField(name: keyof Draft, value: unknown): string {
  if (typeof value === 'boolean') return value ? 'yes' : 'no'
  if (Array.isArray(value)) return value.join(', ')
  return name === 'match' ? MATCH_WORDS[value as Draft['match']] : String(value ?? '')
}

/** A row with all that can be said of it, and what it has said until now; or one to be made. */
export function RowDialog({
  row,
  given,
  hosts,
  canEdit,
  onClose,
}: {
  /** Null for one to be made. */
  row: RedirectRow | null
  given: RedirectNew | null
  /** That a row can be for. */
  hosts: readonly string[]
  canEdit: boolean
  onClose: () => void
}) {
  const edited = useEdited<Draft>({ value: draftOf(row, given), version: row?.version ?? 0 }, { key: `redirect ${row?.id ?? 'new'}` })
  const { value: draft, set } = edited
  const [hidden, setHidden] = useState<string | null>(null)
  const ids = { match: useId(), status: useId(), query: useId(), params: useId() }
  const leads = draft.status < 400
  const save = useMutation({
    mutationFn: (evenSo: boolean) =>
      edited.save(
        (value, version) => {
          const body = { ...rowOf(value), ...(evenSo ? { evenSo } : {}) }
          return row === null ? call('redirects.create', { body }) : call('redirects.change', { id: row.id, body: { version, ...body } })
        },
        (current) => {
          const now = RedirectRow.parse(current)
          return { value: draftOf(now, null), version: now.version }
        },
      ),
    onSuccess: (now) => {
      void tellRow(now)
      onClose()
    },
    onError: (error) => setHidden(error instanceof Refusal && error.fault === 'redirect-hides-page' ? draft.from : null),
  })
  const { remove } = useRowActions()
  const isPath = draft.match === 'exact' || draft.match === 'under'
  return (
    <Dialog title={row === null ? 'A new row' : `What answers ${row.from}`} isOpen onClose={onClose} isWide>
      <div className="grid gap-5">
        <Form
          sending={{ ...save, mutate: () => save.mutate(false) }}
          words={canEdit ? (row === null ? 'Make the row' : 'Save') : null}
          canSend={isAgreed(edited) && draft.from.trim() !== '' && (!leads || draft.to.trim() !== '')}
          beside={
            <span className="flex flex-wrap gap-2.5">
              {hidden !== null && (
                <button type="button" className="button !border-[var(--red)] text-red" onClick={() => save.mutate(true)}>
                  Hide the page even so
                </button>
              )}
              {row !== null && canEdit && (
                <button
                  type="button"
                  className="button"
                  onClick={() => {
                    remove.mutate(row)
                    onClose()
                  }}
                >
                  Take it away
                </button>
              )}
            </span>
          }
        >
          <Sides edited={edited} words={FIELD_WORDS} show={(value, name) => sayField(name, value)} />
          <div className="grid grid-cols-[minmax(0,1fr)_220px] gap-3.5 max-md:grid-cols-1">
            <TextField
              label={
                isPath ? 'Asked for' : draft.match === 'pattern' ? 'Asked for: /a/:name, /a/*, /a/:id(\\d+)' : 'Asked for: ^/a/(\\d+)$'
              }
              isAddress
              required
              readOnly={!canEdit}
              value={draft.from}
              onChange={(from) => set({ from })}
            />
            <div>
              <label className="field-label" htmlFor={ids.match}>
                It means
              </label>
              <select
                id={ids.match}
                className="field"
                disabled={!canEdit}
                value={draft.match}
                onChange={({ target }) => set({ match: REDIRECT_MATCHES.find((each) => each === target.value) ?? 'exact' })}
              >
                {REDIRECT_MATCHES.map((each) => (
                  <option key={each} value={each}>
                    {MATCH_WORDS[each]}
                  </option>
                ))}
              </select>
            </div>
            <div>
              <TextField
                label={leads ? 'Lands on' : 'Lands nowhere'}
                isAddress
                required={leads}
                readOnly={!canEdit || !leads}
                placeholder={leads ? '/a/page.html, or https://another.example/' : ''}
                value={leads ? draft.to : ''}
                onChange={(to) => set({ to })}
              />
              {canEdit && leads && <PartnerOffer address={draft.to} onTake={(to) => set({ to })} />}
            </div>
            <div>
              <label className="field-label" htmlFor={ids.status}>
                Status
              </label>
              <select
                id={ids.status}
                className="field"
                disabled={!canEdit}
                value={draft.status}
                onChange={({ target }) => set({ status: REDIRECT_STATUSES.find((each) => String(each) === target.value) ?? 301 })}
              >
                {REDIRECT_STATUSES.map((each) => (
                  <option key={each} value={each}>
                    {each}: {STATUS_WORDS[each]}
                  </option>
                ))}
              </select>
            </div>
          </div>
          {!isPath && leads && (
            <p className="note">
              What is caught is put in by its place or name: <code>$1</code>, <code>$name</code>.
            </p>
          )}
          {draft.match === 'under' && leads && (
            <p className="note">
              What is behind the path goes to the end of a destination that ends with “/”, or where <code>$1</code> stands.
            </p>
          )}
          <details className="rounded-md border px-3 py-2" open={hasMore(draft)}>
            <summary className="cursor-pointer font-semibold">When, where, and what else</summary>
            <div className="mt-3 grid gap-3.5">
              {hosts.length > 1 && (
                <fieldset>
                  <legend className="field-label">Only on these hosts (none chosen: wherever the site’s pages stand)</legend>
                  <div className="flex flex-wrap gap-x-5 gap-y-2">
                    {hosts.map((host) => (
                      <label key={host} className="flex items-center gap-2">
                        <input
                          type="checkbox"
                          disabled={!canEdit}
                          checked={draft.hosts.includes(host)}
                          onChange={({ target }) =>
                            set({ hosts: target.checked ? [...draft.hosts, host] : draft.hosts.filter((each) => each !== host) })
                          }
                        />
                        <span className="address">{host}</span>
                      </label>
                    ))}
                  </div>
                </fieldset>
              )}
              <div className="grid grid-cols-2 gap-3.5 max-md:grid-cols-1">
                <div>
                  <label className="field-label" htmlFor={ids.params}>
                    Only with these parameters in the query, one a line
                  </label>
                  <textarea
                    id={ids.params}
                    className="field address min-h-[64px]"
                    placeholder={'id=7\nlang'}
                    readOnly={!canEdit}
                    value={draft.params}
                    onChange={({ target }) => set({ params: target.value })}
                  />
                  <label className="mt-1.5 flex items-center gap-2">
                    <input
                      type="checkbox"
                      disabled={!canEdit}
                      checked={draft.noOther}
                      onChange={({ target }) => set({ noOther: target.checked })}
                    />
                    and with no others
                  </label>
                </div>
                <div className="grid content-start gap-3.5">
                  <div>
                    <label className="field-label" htmlFor={ids.query}>
                      The query that was asked with is
                    </label>
                    <select
                      id={ids.query}
                      className="field"
                      disabled={!canEdit}
                      value={draft.query}
                      onChange={({ target }) => set({ query: QUERY_HABITS.find((each) => each === target.value) ?? 'pass' })}
                    >
                      {QUERY_HABITS.map((each) => (
                        <option key={each} value={each}>
                          {QUERY_WORDS[each]}
                        </option>
                      ))}
                    </select>
                  </div>
                  <TextField
                    label="Only for these languages"
                    placeholder="de fr"
                    readOnly={!canEdit}
                    value={draft.languages}
                    onChange={(languages) => set({ languages })}
                  />
                </div>
                <TextField
                  label="From this moment on"
                  type="datetime-local"
                  readOnly={!canEdit}
                  value={draft.since}
                  onChange={(since) => set({ since })}
                />
                <TextField
                  label="Until this moment"
                  type="datetime-local"
                  readOnly={!canEdit}
                  value={draft.until}
                  onChange={(until) => set({ until })}
                />
              </div>
              <fieldset>
                <legend className="field-label">Only for these devices (none chosen: for all)</legend>
                <div className="flex flex-wrap gap-x-5 gap-y-2">
                  {DEVICES.map((device) => (
                    <label key={device} className="flex items-center gap-2">
                      <input
                        type="checkbox"
                        disabled={!canEdit}
                        checked={draft.devices.includes(device)}
                        onChange={({ target }) =>
                          set({ devices: target.checked ? [...draft.devices, device] : draft.devices.filter((each) => each !== device) })
                        }
                      />
                      {DEVICE_WORDS[device]}
                    </label>
                  ))}
                </div>
              </fieldset>
              <label className="flex items-center gap-2">
                <input
                  type="checkbox"
                  disabled={!canEdit}
                  checked={draft.beatsPages}
                  onChange={({ target }) => set({ beatsPages: target.checked })}
                />
                Answers although a page is published there
              </label>
              <label className="flex items-center gap-2">
                <input
                  type="checkbox"
                  disabled={!canEdit}
                  checked={!draft.isHidden}
                  onChange={({ target }) => set({ isHidden: !target.checked })}
                />
                Offered for menus, and named in the sitemap (most old addresses should not be)
              </label>
              <details>
                <summary className="note cursor-pointer underline">Which row answers where several fit?</summary>
                <ol className="note mt-2 list-decimal pl-5">
                  {PRECEDENCE.map((sentence) => (
                    <li key={sentence}>{sentence}</li>
                  ))}
                </ol>
              </details>
            </div>
          </details>
          <div className="grid grid-cols-[minmax(0,1fr)_auto] items-end gap-3.5 max-md:grid-cols-1">
            <TextField label="Note" readOnly={!canEdit} value={draft.note} onChange={(note) => set({ note })} />
            <label className="flex min-h-[38px] items-center gap-2">
              <input type="checkbox" disabled={!canEdit} checked={draft.isOn} onChange={({ target }) => set({ isOn: target.checked })} />
              On: visitors are answered by it
            </label>
          </div>
          {canEdit && (
            <OutcomeNote id={row?.id} row={rowOf(draft)} isReady={draft.from.trim() !== '' && (!leads || draft.to.trim() !== '')} />
          )}
        </Form>
        {row !== null && <History row={row} canEdit={canEdit} onRestored={onClose} />}
      </div>
    </Dialog>
  )
}

const hasMore = ({ params, noOther, languages, devices, since, until, hosts, beatsPages, isHidden, query }: Draft): boolean =>
  params + languages + since + until !== '' ||
  noOther ||
  devices.length > 0 ||
  hosts.length > 0 ||
  beatsPages ||
  !isHidden ||
  query !== 'pass'

/** What a row has said until now; any of it can come back. */
function History({ row, canEdit, onRestored }: { row: RedirectRow; canEdit: boolean; onRestored: () => void }) {
  const { data } = useAsk('redirects.history', { id: row.id })
  const restore = useMutation({
    mutationFn: (of: number) => call('redirects.restore', { id: row.id, body: { version: row.version, of } }),
    onSuccess: (now) => {
      void tellRow(now)
      onRestored()
    },
    onError: (error) => toast.error(wordsOf(error)),
  })
  if (data === undefined || data.items.length < 2) return null
  return (
    <details className="rounded-md border px-3 py-2">
      <summary className="cursor-pointer font-semibold">What it said before</summary>
      <ul className="mt-2 divide-y">
        {data.items.slice(1).map((each) => (
          <li key={each.version} className="flex flex-wrap items-baseline gap-x-3 gap-y-1 py-1.5">
            <span className="note w-[150px]">{new Date(each.at).toLocaleString('en-GB', { dateStyle: 'medium', timeStyle: 'short' })}</span>
            <span className="address min-w-0 flex-1">
              {each.from} → {each.status} {each.to}
              {each.isOn ? '' : ' (off)'}
              {each.isRemoved ? ' (taken away)' : ''}
            </span>
            <span className="note">
              {each.by ?? 'somebody'}
              {each.what === null ? '' : `, ${each.what}`}
            </span>
            {canEdit && !each.isRemoved && (
              <button
                type="button"
                className="button !min-h-8 !px-2.5"
                disabled={restore.isPending}
                onClick={() => restore.mutate(each.version)}
              >
                Say that again
              </button>
            )}
          </li>
        ))}
      </ul>
    </details>
  )
}
