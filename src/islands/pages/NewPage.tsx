import { useMutation } from '@tanstack/react-query'
import { useState } from 'react'
import type { Page } from '../../contract/pages.ts'
import { TITLE_MAX_CHARS } from '../../core/markup/index.ts'
import { hyphenated } from '../../core/slugs/index.ts'
import { call } from '../../ui/api.ts'
import { Dialog } from '../../ui/Dialog.tsx'
import { Form } from '../../ui/Form.tsx'
import { Select } from '../../ui/Select.tsx'
import { TextField } from '../../ui/TextField.tsx'

/** A page with the look of another one of the site. */
export function NewPage({ pages, onClose }: { pages: readonly Page[]; onClose: () => void }) {
  const [title, setTitle] = useState('')
  const [path, setPath] = useState<string | null>(null)
  const [like, setLike] = useState('')
  const [joinsMenus, setJoins] = useState(true)
  const ending = pages.some((page) => page.path.endsWith('.html')) ? '.html' : ''
  const wanted = path ?? (title === '' ? '' : `/${hyphenated(title, 'latin')}${ending}`)
  const make = useMutation({
    mutationFn: () => call('pages.create', { body: { title, path: wanted, joinsMenus, ...(like === '' ? {} : { like }) } }),
    onSuccess: (page) => location.assign(`/pages/${page.id}`),
  })
  return (
    <Dialog title="A new page" isOpen onClose={onClose}>
      <Form sending={make} words="Make the page" canSend={title.trim() !== ''}>
        <TextField label="Title" required maxLength={TITLE_MAX_CHARS} value={title} onChange={setTitle} />
        <TextField label="Path on the site" isAddress required value={wanted} onChange={setPath} />
        <div>
          <Select
            label="Looks like"
            value={like}
            options={[['', 'the front page'], ...pages.map((page) => [page.id, page.title] as const)]}
            onChange={setLike}
          />
          <p className="note mt-1">It takes over that page’s header, footer and styles, and none of its words.</p>
        </div>
        <label className="flex min-h-6 items-center gap-2.5">
          <input type="checkbox" checked={!joinsMenus} onChange={(event) => setJoins(!event.target.checked)} />
          No menu entry for this page
        </label>
      </Form>
    </Dialog>
  )
}
