import { useId, useState } from 'react'
import { Dialog } from './Dialog.tsx'

const asName = (title: string): string =>
  title
    .normalize('NFKD')
    .replace(/\p{M}/gu, '')
    .toLowerCase()
    .replace(/[^a-z0-9]+/g, '-')
    .replace(/^-+|-+$/g, '')

/** A title, and the name that is made of it. */
export function NewPart({
  what,
  isBusy,
  onMake,
  onClose,
}: {
  what: string
  isBusy: boolean
  onMake: (wanted: { name: string; title: string }) => void
  onClose: () => void
}) {
  const id = useId()
  const [title, setTitle] = useState('')
  const name = asName(title)
  return (
    <Dialog title={`A new ${what}`} isOpen onClose={onClose}>
      <form
        className="grid gap-3"
        onSubmit={(event) => {
          event.preventDefault()
          onMake({ name, title })
        }}
      >
        <div>
          <label className="field-label" htmlFor={id}>
            What do you call it?
          </label>
          <input
            id={id}
            className="field"
            value={title}
            maxLength={60}
            required
            onChange={(event) => setTitle(event.target.value)}
            placeholder={what === 'menu' ? 'Main menu' : 'Footer'}
          />
          {name !== '' && <p className="note mt-1">Its name in pages: {name}</p>}
        </div>
        <p className="flex justify-end">
          <button type="submit" className="button button-main" disabled={name === '' || isBusy}>
            Make it
          </button>
        </p>
      </form>
    </Dialog>
  )
}
