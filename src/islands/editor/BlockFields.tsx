import { useId, useState, useSyncExternalStore } from 'react'
import { type FieldFault, fieldPlaces, fieldValues, filledBlock, setFieldValues } from '../../core/blocks/index.ts'
import type { PageDraft } from './draft.ts'

const WHY: Readonly<Record<FieldFault['why'], string>> = {
  missing: 'Nothing is filled in. Readers see nothing there.',
  'unsafe place': 'It stands where no value is safe (in a tag, a style, a script, or an unquoted value). Readers see nothing there.',
  'unsafe address': 'This is not an address that readers can follow. Readers see nothing there.',
}

/** The named fields of a shared block, as a form. What is filled in is kept with the block, and never delivered as markup. */
export function BlockFields({ draft, canEdit }: { draft: PageDraft; canEdit: boolean }) {
  const { text } = useSyncExternalStore(draft.subscribe, draft.snapshot)
  const places = fieldPlaces(text)
  const names = [...new Set(places.map(({ name }) => name))]
  const values = fieldValues(text)
  const { faults } = filledBlock(text)
  return (
    <section className="mb-5 grid gap-3">
      <h2 className="text-[18px]">Fields</h2>
      {names.length === 0 && (
        <p className="note">
          This block has none. Write <code>{'{{name}}'}</code> where a value is to stand; it is then filled in here.
        </p>
      )}
      {names.map((name) => (
        <Field
          key={name}
          name={name}
          value={values[name] ?? ''}
          context={places.find((place) => place.name === name)?.context ?? 'text'}
          fault={faults.find((fault) => fault.name === name)?.why ?? null}
          isOff={!canEdit}
          onSet={(value) => draft.change(setFieldValues(draft.state.text, { ...values, [name]: value }))}
        />
      ))}
    </section>
  )
}

function Field({
  name,
  value,
  context,
  fault,
  isOff,
  onSet,
}: {
  name: string
  value: string
  context: string
  fault: FieldFault['why'] | null
  isOff: boolean
  onSet: (value: string) => void
}) {
  const id = useId()
  const [typed, setTyped] = useState(value)
  return (
    <div>
      <label className="field-label" htmlFor={id}>
        {name.replaceAll('_', ' ')}{' '}
        <span className="note font-normal">
          {context === 'address' ? 'in an address' : context === 'attribute' ? 'in an attribute' : ''}
        </span>
      </label>
      <input
        id={id}
        className="field"
        value={typed}
        disabled={isOff}
        aria-describedby={`${id}-fault`}
        onChange={(event) => setTyped(event.target.value)}
        onBlur={() => typed !== value && onSet(typed)}
      />
      <p id={`${id}-fault`} className="mt-1 text-[13.5px] text-red" aria-live="polite">
        {fault === null ? null : WHY[fault]}
      </p>
    </div>
  )
}
