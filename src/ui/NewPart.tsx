import { useState } from 'react'
import { hyphenated } from '../core/slugs/index.ts'
import { Dialog } from './Dialog.tsx'
import { TextField } from './TextField.tsx'

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
  const [title, setTitle] = useState('')
  const name = hyphenated(title, 'latin')
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
          <TextField
            label="What do you call it?"
            value={title}
            maxLength={60}
            required
            onChange={setTitle}
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
