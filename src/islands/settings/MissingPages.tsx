import { useMutation } from '@tanstack/react-query'
import { useId } from 'react'
import { toast } from 'sonner'
import { Host } from '../../contract/hosts.ts'
import { call } from '../../ui/api.ts'
import { isAgreed, Sides, useEdited } from '../../ui/edited.tsx'
import { Form } from '../../ui/Form.tsx'
import { LandingNote, nowhereAmong } from '../../ui/LandingNote.tsx'
import { TextField } from '../../ui/TextField.tsx'
import { useUnsaved } from '../../ui/unsaved.ts'

type Choice = 'page' | 'elsewhere' | 'theirs'

const choiceOf = ({ kind, missingTo }: Host): Choice =>
  missingTo === '' ? (kind === 'door' ? 'theirs' : 'page') : missingTo === 'page' ? 'page' : 'elsewhere'

const fieldsOf = (host: Host) => {
  const choice = choiceOf(host)
  return { value: { choice, to: choice === 'elsewhere' ? host.missingTo : '/' }, version: host.version }
}
const missingToOf = ({ kind }: Host, { choice, to }: { choice: Choice; to: string }): string =>
  choice === 'theirs' ? '' : choice === 'page' ? (kind === 'door' ? 'page' : '') : to.trim()
const CHOICE_WORDS = { page: 'your own page that says so', elsewhere: 'another page', theirs: 'what the site behind answers' } as const

/** What visitors of a host get where there is no page; what search engines make of it is told where it is chosen. */
export function MissingPages({ host, canEdit }: { host: Host; canEdit: boolean }) {
  const edited = useEdited(fieldsOf(host), { key: `missing pages ${host.id}`, isView: true })
  const { choice, to } = edited.value
  const name = useId()
  const { isChanged } = edited
  useUnsaved(isChanged)
  const save = useMutation({
    mutationFn: () =>
      edited.save(
        (value, version) => call('hosts.change', { id: host.id, body: { version, missingTo: missingToOf(host, value) } }),
        (current) => fieldsOf(Host.parse(current)),
      ),
    onSuccess: async (now) => {
      edited.saved(fieldsOf(now))
      const nowhere = await nowhereAmong(choiceOf(now) === 'elsewhere' ? [now.missingTo] : [])
      if (nowhere === null) toast.success('Saved.')
      else toast.warning(`Saved. ${nowhere}`, { duration: 12_000 })
    },
  })
  const option = (value: Choice, words: string, plain: string) => (
    <label className="flex items-start gap-2.5">
      <input
        type="radio"
        name={name}
        className="mt-0.5"
        disabled={!canEdit}
        checked={choice === value}
        onChange={() => edited.set({ choice: value })}
      />
      <span>
        {words}
        <span className="note block">{plain}</span>
      </span>
    </label>
  )
  return (
    <details className="basis-full pt-1">
      <summary className="note cursor-pointer underline">
        Missing pages:{' '}
        {choice === 'page' ? 'our page that says so' : choice === 'theirs' ? 'as the site behind says' : `lead to ${host.missingTo}`}
      </summary>
      <div className="pt-3">
        <Form
          label={`Missing pages of ${host.host}`}
          isMain={false}
          sending={save}
          words={canEdit ? 'Save' : null}
          canSend={isChanged && isAgreed(edited)}
        >
          <Sides
            edited={edited}
            words={{ choice: 'Where there is no page', to: 'They are led to' }}
            show={(value) => CHOICE_WORDS[value as Choice] ?? String(value)}
          />
          <fieldset className="grid gap-2.5">
            <legend className="field-label">Where there is no page, visitors get</legend>
            {host.kind === 'door' &&
              option('theirs', 'What the site behind answers', 'Nothing changes; what is missed is counted all the same.')}
            {option(
              'page',
              'Your own page that says so, with pages that may be meant',
              'It is the page at /404.html, edited like any other. It answers 404, so that search engines forget the address.',
            )}
            {option(
              'elsewhere',
              'Another page, at once',
              'Nobody sees that something is missing. But search engines take such an address for a copy of that page, keep asking for it, and may trust the site less; a row for each address that matters does better.',
            )}
          </fieldset>
          {choice === 'elsewhere' && (
            <TextField
              label="They are led to"
              isAddress
              readOnly={!canEdit}
              placeholder="/ or https://…"
              value={to}
              onChange={(next) => edited.set({ to: next })}
            />
          )}
          {choice === 'elsewhere' && <LandingNote address={to} />}
          <p className="note">
            Only for pages that people ask for: never for pictures, scripts, styles, icons, robots.txt or other well-known files.
          </p>
        </Form>
      </div>
    </details>
  )
}
