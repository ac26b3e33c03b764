import { useMutation } from '@tanstack/react-query'
import { useState } from 'react'
import { type RedirectNew, RedirectRow } from '../../contract/redirects.ts'
import { REDIRECT_MATCHES, REDIRECT_STATUSES } from '../../core/routing/index.ts'
import { call, Refusal } from '../../ui/api.ts'
import { Dialog } from '../../ui/Dialog.tsx'
import { isAgreed, Sides, useEdited } from '../../ui/edited.tsx'
import { Form } from '../../ui/Form.tsx'
import { PartnerOffer } from '../../ui/PartnerOffer.tsx'
import { Select } from '../../ui/Select.tsx'
import { TextField } from '../../ui/TextField.tsx'
import { OutcomeNote, tellRow } from './Outcome.tsx'
import { RowConditions } from './RowConditions.tsx'
import { RowHistory } from './RowHistory.tsx'
import { draftOf, FIELD_WORDS, type RowDraft, rowOf, sayField } from './row-draft.ts'
import { useRowActions } from './Table.tsx'
import { MATCH_WORDS, STATUS_WORDS } from './words.ts'

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
  const edited = useEdited<RowDraft>({ value: draftOf(row, given), version: row?.version ?? 0 }, { key: `redirect ${row?.id ?? 'new'}` })
  const { value: draft, set } = edited
  const [hidden, setHidden] = useState<string | null>(null)
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
            <Select
              label="It means"
              isReadOnly={!canEdit}
              value={draft.match}
              options={REDIRECT_MATCHES.map((each) => [each, MATCH_WORDS[each]])}
              onChange={(value) => set({ match: REDIRECT_MATCHES.find((each) => each === value) ?? 'exact' })}
            />
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
            <Select
              label="Status"
              isReadOnly={!canEdit}
              value={String(draft.status)}
              options={REDIRECT_STATUSES.map((each) => [String(each), `${each}: ${STATUS_WORDS[each]}`])}
              onChange={(value) => set({ status: REDIRECT_STATUSES.find((each) => String(each) === value) ?? 301 })}
            />
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
          <RowConditions draft={draft} hosts={hosts} canEdit={canEdit} set={set} />
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
        {row !== null && <RowHistory row={row} canEdit={canEdit} onRestored={onClose} />}
      </div>
    </Dialog>
  )
}
