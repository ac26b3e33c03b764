import { useMutation } from '@tanstack/react-query'
import { Trash2 } from 'lucide-react'
import { useState } from 'react'
import { toast } from 'sonner'
import { ShortLink } from '../../contract/short-links.ts'
import { tidySlug } from '../../core/slugs/index.ts'
import { call } from '../../ui/api.ts'
import { Dialog } from '../../ui/Dialog.tsx'
import { isAgreed, Sides, useEdited } from '../../ui/edited.tsx'
import { Beside, Form } from '../../ui/Form.tsx'
import { Select } from '../../ui/Select.tsx'
import { SlugSay } from './SlugSay.tsx'

interface Named {
  readonly host: string
  readonly slug: string
}

const namedOf = ({ slugs, version }: ShortLink) => ({ value: { slugs: slugs.map(({ host, slug }) => ({ host, slug })) }, version })

/** All the slugs a link answers to. One that is renamed stays as a further one, unless it is taken out: what was printed keeps working. */
export function SlugsDialog({ link, hosts, onClose }: { link: ShortLink; hosts: readonly string[]; onClose: () => void }) {
  const edited = useEdited<{ slugs: readonly Named[] }>(namedOf(link), { key: `slugs ${link.id}` })
  const { slugs } = edited.value
  const setSlugs = (next: readonly Named[]): void => edited.set({ slugs: next })
  const [typed, setTyped] = useState('')
  const [host, setHost] = useState(link.host)
  const slug = tidySlug(typed)
  const isThere = slugs.some((each) => each.host === host && each.slug === slug)
  const add = (each: Named, isFirst = false): void => {
    const others = slugs.filter((one) => one.host !== each.host || one.slug !== each.slug)
    setSlugs(isFirst ? [each, ...others] : [...others, each])
    setTyped('')
  }
  const gone = link.slugs.filter((each) => !slugs.some((one) => one.host === each.host && one.slug === each.slug))
  const save = useMutation({
    mutationFn: () =>
      edited.save(
        ({ slugs: [main, ...further] }, version) => {
          if (main === undefined) throw new Error('One slug has to stay.')
          return call('short-link-slugs.change', { id: link.id, body: { version, main, further: [...further] } })
        },
        (current) => namedOf(ShortLink.parse(current)),
      ),
    onSuccess: (now) => {
      toast.success(`It answers to ${now.slugs.map((each) => each.slug).join(', ')} now.`)
      onClose()
    },
  })
  return (
    <Dialog title="What it answers to" isOpen onClose={onClose}>
      <Form
        sending={save}
        words="Save"
        canSend={isAgreed(edited)}
        beside={
          <Beside>{gone.length > 0 && `Whoever follows ${gone.map((each) => each.slug).join(', ')} finds nothing from then on.`}</Beside>
        }
      >
        <Sides
          edited={edited}
          words={{ slugs: 'What it answers to' }}
          show={(value) => (value as Named[]).map(({ slug: each }) => each).join(', ')}
        />
        <ul className="divide-y rounded-md border">
          {slugs.map((each, i) => (
            <li key={`${each.host} ${each.slug}`} className="flex items-center gap-2 px-3 py-1.5">
              <span className="address min-w-0 flex-1 truncate">
                <span className="text-ink-soft">{each.host}/…/</span>
                <b>{each.slug}</b>
              </span>
              {i === 0 ? (
                <span className="note">the one that is copied</span>
              ) : (
                <>
                  <button type="button" className="button button-plain !min-h-8 !px-2" onClick={() => add(each, true)}>
                    Make it the main one
                  </button>
                  <button
                    type="button"
                    className="button button-plain !min-h-8 !px-2"
                    aria-label={`Take ${each.slug} out`}
                    onClick={() => setSlugs(slugs.filter((one) => one !== each))}
                  >
                    <Trash2 size={16} aria-hidden="true" />
                  </button>
                </>
              )}
            </li>
          ))}
        </ul>
        <div className="grid gap-2">
          <label className="field-label !mb-0" htmlFor="further-slug">
            Another slug, or a new name for it
          </label>
          <div className="flex gap-2">
            {hosts.length > 1 && (
              <Select
                label="On this host"
                isLabelHidden
                className="!w-auto"
                value={host}
                options={hosts.map((each) => [each, each])}
                onChange={setHost}
              />
            )}
            <input
              id="further-slug"
              className="field address"
              value={typed}
              autoComplete="off"
              spellCheck={false}
              onChange={({ target }) => setTyped(target.value)}
            />
            <button type="button" className="button" disabled={slug === '' || isThere} onClick={() => add({ host, slug })}>
              Add
            </button>
            <button type="button" className="button" disabled={slug === '' || isThere} onClick={() => add({ host, slug }, true)}>
              Rename to it
            </button>
          </div>
          <SlugSay
            slug={slug === '' ? (slugs[0]?.slug ?? '') : slug}
            host={host}
            of={link.id}
            chosen={slugs.map((each) => each.slug)}
            onFurther={(each) => add({ host, slug: each })}
          />
        </div>
      </Form>
    </Dialog>
  )
}
