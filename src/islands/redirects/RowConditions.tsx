import { useId } from 'react'
import { DEVICES } from '../../core/clicks/index.ts'
import { PRECEDENCE, QUERY_HABITS } from '../../core/routing/index.ts'
import { Select } from '../../ui/Select.tsx'
import { TextField } from '../../ui/TextField.tsx'
import { inWords } from '../../words/index.ts'
import { hasMore, type RowDraft } from './row-draft.ts'
import { DEVICE_WORDS, QUERY_WORDS } from './words.ts'

/** For whom a row answers, and where: what most rows leave as it is. */
export function RowConditions({
  draft,
  hosts,
  canEdit,
  set,
}: {
  draft: RowDraft
  /** That a row can be for. */
  hosts: readonly string[]
  canEdit: boolean
  set: (change: Partial<RowDraft>) => void
}) {
  const paramsId = useId()
  return (
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
            <label className="field-label" htmlFor={paramsId}>
              Only with these parameters in the query, one a line
            </label>
            <textarea
              id={paramsId}
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
            <Select
              label="The query that was asked with is"
              isReadOnly={!canEdit}
              value={draft.query}
              options={QUERY_HABITS.map((each) => [each, QUERY_WORDS[each]])}
              onChange={(value) => set({ query: QUERY_HABITS.find((each) => each === value) ?? 'pass' })}
            />
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
              <li key={sentence.tell}>{inWords(sentence)}</li>
            ))}
          </ol>
        </details>
      </div>
    </details>
  )
}
