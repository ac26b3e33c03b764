import { useMutation } from '@tanstack/react-query'
import { useId, useState } from 'react'
import { toast } from 'sonner'
import type { Site } from '../../contract/sites.ts'
import { call } from '../../ui/api.ts'
import { Form } from '../../ui/Form.tsx'
import { TextField } from '../../ui/TextField.tsx'
import { useUnsaved } from '../../ui/unsaved.ts'

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
  const [saved, setSaved] = useState(site)
  const [name, setName] = useState(site.name)
  const [language, setLanguage] = useState(site.language)
  const [timeZone, setTimeZone] = useState(site.timeZone)
  const [ignoresCase, setIgnoresCase] = useState(site.ignoresCase)
  const [ignoresSlash, setIgnoresSlash] = useState(site.ignoresSlash)
  const lists = { languages: useId(), zones: useId() }
  const isChanged =
    name !== saved.name ||
    language !== saved.language ||
    timeZone !== saved.timeZone ||
    ignoresCase !== saved.ignoresCase ||
    ignoresSlash !== saved.ignoresSlash
  useUnsaved(isChanged)
  const save = useMutation({
    mutationFn: () => call('sites.change', { body: { version: saved.version, name, language, timeZone, ignoresCase, ignoresSlash } }),
    onSuccess: (now) => {
      setSaved(now)
      setLanguage(now.language)
      toast.success('Saved.')
    },
  })
  return (
    <Form isSheet label="The site" isMain={false} sending={save} words={canEdit ? 'Save' : null} canSend={isChanged}>
      <div className="grid grid-cols-[2fr_1fr_1fr] gap-3.5 max-md:grid-cols-1">
        <TextField label="Name of the site" required readOnly={!canEdit} value={name} onChange={setName} />
        <TextField
          label="Language of its pages"
          required
          readOnly={!canEdit}
          list={lists.languages}
          value={language}
          onChange={setLanguage}
        />
        <TextField label="Time zone" required readOnly={!canEdit} list={lists.zones} value={timeZone} onChange={setTimeZone} />
      </div>
      <fieldset className="grid gap-2">
        <legend className="field-label">Redirects take these for one address</legend>
        <label className="flex items-center gap-2.5">
          <input type="checkbox" disabled={!canEdit} checked={ignoresCase} onChange={({ target }) => setIgnoresCase(target.checked)} />
          <span>
            capitals and small letters: <span className="address">/Old</span> and <span className="address">/old</span>
          </span>
        </label>
        <label className="flex items-center gap-2.5">
          <input type="checkbox" disabled={!canEdit} checked={ignoresSlash} onChange={({ target }) => setIgnoresSlash(target.checked)} />
          <span>
            with a slash at its end and without: <span className="address">/old/</span> and <span className="address">/old</span>
          </span>
        </label>
      </fieldset>
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
