import { useMutation } from '@tanstack/react-query'
import { useId } from 'react'
import { toast } from 'sonner'
import { Site } from '../../contract/sites.ts'
import { call } from '../../ui/api.ts'
import { isAgreed, Sides, useEdited } from '../../ui/edited.tsx'
import { Form } from '../../ui/Form.tsx'
import { useAsk } from '../../ui/query.tsx'
import { TextField } from '../../ui/TextField.tsx'
import { useUnsaved } from '../../ui/unsaved.ts'

const linesOf = (typed: readonly string[]): string[] => typed.map((each) => each.trim()).filter(Boolean)
const fieldsOf = ({ version, ...value }: Site) => ({ value, version })
const FIELD_WORDS = {
  ...{ name: 'Name of the site', language: 'Language of its pages', timeZone: 'Time zone' },
  ...{ insideAllowed: 'Addresses inside your own network' },
  ...{ neverAsked: 'Addresses that are never visited', asksAs: 'What visited sites are told' },
  ...{ ignoresCase: 'Capitals and small letters are one', ignoresSlash: 'With a slash at the end and without are one' },
} as const

/** What the site is called, the language of its pages, and the zone that times are shown in. */
export function SiteForm({
  site,
  canEdit,
  languages,
  zones,
}: {
  site: Site
  canEdit: boolean
  languages: readonly (readonly [tag: string, name: string])[]
  zones: readonly string[]
}) {
  const { data } = useAsk('sites.get', {}, { initialData: site })
  const edited = useEdited(fieldsOf(data), { key: 'site', isView: true })
  const { name, language, timeZone, ignoresCase, ignoresSlash, insideAllowed, neverAsked, asksAs } = edited.value
  const lists = { languages: useId(), zones: useId(), inside: useId(), never: useId() }
  useUnsaved(edited.isChanged)
  const save = useMutation({
    mutationFn: () =>
      edited.save(
        (value, version) =>
          call('sites.change', {
            body: { ...value, insideAllowed: linesOf(value.insideAllowed), neverAsked: linesOf(value.neverAsked), version },
          }),
        (current) => fieldsOf(Site.parse(current)),
      ),
    onSuccess: (now) => {
      edited.saved(fieldsOf(now))
      toast.success('Saved.')
    },
  })
  return (
    <Form
      isSheet
      label="The site"
      isMain={false}
      sending={save}
      words={canEdit ? 'Save' : null}
      canSend={edited.isChanged && isAgreed(edited)}
    >
      <Sides edited={edited} words={FIELD_WORDS} show={(value) => (typeof value === 'boolean' ? (value ? 'yes' : 'no') : String(value))} />
      <div className="grid grid-cols-[2fr_1fr_1fr] gap-3.5 max-md:grid-cols-1">
        <TextField label="Name of the site" required readOnly={!canEdit} value={name} onChange={(to) => edited.set({ name: to })} />
        <TextField
          label="Language of its pages"
          required
          readOnly={!canEdit}
          list={lists.languages}
          value={language}
          onChange={(to) => edited.set({ language: to })}
        />
        <TextField
          label="Time zone"
          required
          readOnly={!canEdit}
          list={lists.zones}
          value={timeZone}
          onChange={(to) => edited.set({ timeZone: to })}
        />
      </div>
      <fieldset className="grid gap-2">
        <legend className="field-label">Redirects take these for one address</legend>
        <label className="flex items-center gap-2.5">
          <input
            type="checkbox"
            disabled={!canEdit}
            checked={ignoresCase}
            onChange={({ target }) => edited.set({ ignoresCase: target.checked })}
          />
          <span>
            capitals and small letters: <span className="address">/Old</span> and <span className="address">/old</span>
          </span>
        </label>
        <label className="flex items-center gap-2.5">
          <input
            type="checkbox"
            disabled={!canEdit}
            checked={ignoresSlash}
            onChange={({ target }) => edited.set({ ignoresSlash: target.checked })}
          />
          <span>
            with a slash at its end and without: <span className="address">/old/</span> and <span className="address">/old</span>
          </span>
        </label>
      </fieldset>
      <div>
        <label className="field-label" htmlFor={lists.inside}>
          Addresses inside your own network that may be asked
        </label>
        <textarea
          id={lists.inside}
          aria-describedby={`${lists.inside}-note`}
          className="field address min-h-[76px]"
          rows={3}
          readOnly={!canEdit}
          placeholder={'intranet.slow-ferry.example\n10.1.0.0/16'}
          value={insideAllowed.join('\n')}
          onChange={({ target }) => edited.set({ insideAllowed: target.value.split('\n') })}
        />
        <p id={`${lists.inside}-note`} className="note mt-1">
          A host, an address or a range a line. By default nothing inside a private network is fetched, checked or stood in front of, since
          whoever writes here could look around in it. What stands here may be.
        </p>
      </div>
      <div>
        <label className="field-label" htmlFor={lists.never}>
          Addresses that are never visited
        </label>
        <textarea
          id={lists.never}
          aria-describedby={`${lists.never}-note`}
          className="field address min-h-[76px]"
          rows={3}
          readOnly={!canEdit}
          placeholder={'*.shop.example/once/*\nhttps://tickets.example/*'}
          value={neverAsked.join('\n')}
          onChange={({ target }) => edited.set({ neverAsked: target.value.split('\n') })}
        />
        <p id={`${lists.never}-note`} className="note mt-1">
          Where links lead is looked at from time to time. What works once, or costs something, is not: a pattern a line, with * for any
          stretch.
        </p>
      </div>
      <TextField
        label="Address that visited sites are told"
        readOnly={!canEdit}
        isAddress
        value={asksAs}
        placeholder="this site’s own"
        onChange={(to) => edited.set({ asksAs: to })}
      />
      <datalist id={lists.languages}>
        {languages.map(([tag, words]) => (
          <option key={tag} value={tag}>
            {words}
          </option>
        ))}
      </datalist>
      <datalist id={lists.zones}>
        {zones.map((zone) => (
          <option key={zone} value={zone} />
        ))}
      </datalist>
    </Form>
  )
}
