import { useMutation } from '@tanstack/react-query'
import { useState } from 'react'
import type { ShortLinkStepChange } from '../../contract/short-link-steps.ts'
import type { ShortLink } from '../../contract/short-links.ts'
import { call } from '../../ui/api.ts'
import { Dialog } from '../../ui/Dialog.tsx'
import { Form, Problem } from '../../ui/Form.tsx'
import { useAsk } from '../../ui/query.tsx'
import { stepOf, toldStep } from '../../ui/steps.ts'
import { TextField } from '../../ui/TextField.tsx'
import { counted } from '../../words/index.ts'

type Doing = 'tags' | 'replace' | 'remove'
const DOING: Readonly<Record<Doing, string>> = {
  tags: 'Tag them',
  replace: 'Change their destinations',
  remove: 'Take them away',
}

/** What can be done with the links that are chosen, all in one step. */
export function ChosenBar({ links, onDone }: { links: readonly ShortLink[]; onDone: () => void }) {
  const [doing, setDoing] = useState<Doing | null>(null)
  const ids = links.map(({ id }) => id)
  return (
    <section
      aria-label="Chosen short links"
      className="sticky bottom-3 z-10 flex flex-wrap items-center gap-2.5 rounded-[9px] bg-deck px-4 py-2.5 text-deck-text"
      style={{ boxShadow: 'var(--shadow)' }}
    >
      <b className="mr-auto">{counted(links.length, 'short link')} chosen</b>
      {(Object.keys(DOING) as Doing[]).map((each) => (
        <button key={each} type="button" className="button button-deck" onClick={() => setDoing(each)}>
          {DOING[each]}
        </button>
      ))}
      <a className="button button-deck" href={`/short-links/codes?ids=${ids.slice(0, 100).join(',')}`}>
        Print their codes
      </a>
      <button type="button" className="button button-deck" onClick={onDone}>
        Choose none
      </button>
      {doing !== null && <StepDialog doing={doing} ids={ids} onClose={() => setDoing(null)} onDone={onDone} />}
    </section>
  )
}

/** Says what a step would do before it does it. */
function StepDialog({ doing, ids, onClose, onDone }: { doing: Doing; ids: readonly string[]; onClose: () => void; onDone: () => void }) {
  const [add, setAdd] = useState('')
  const [take, setTake] = useState('')
  const [from, setFrom] = useState('')
  const [to, setTo] = useState('')
  const words = (text: string): string[] =>
    text
      .split(',')
      .map((each) => each.trim().toLowerCase())
      .filter((each) => each !== '')
  const change: ShortLinkStepChange | null =
    doing === 'remove'
      ? { isRemoved: true }
      : doing === 'tags'
        ? words(add).length + words(take).length === 0
          ? null
          : { addTags: words(add), removeTags: words(take) }
        : from === ''
          ? null
          : { replace: { from, to } }
  const body = { ids: [...ids], change: change ?? {} }
  const preview = useAsk(
    'short-link-steps.create',
    { body: { ...body, dryRun: true } },
    { enabled: change !== null, staleTime: 0, gcTime: 0, placeholderData: (before) => before },
  )
  const carryOut = useMutation({
    mutationFn: () => call('short-link-steps.create', { body }),
    onSuccess: ({ changed, step }) => {
      toldStep(`${counted(changed, 'short link')} ${doing === 'remove' ? 'taken away' : 'changed'}.`, stepOf('short-links', step))
      onClose()
      onDone()
    },
  })
  const { data } = preview
  return (
    <Dialog title={DOING[doing]} isOpen onClose={onClose} isWide>
      <Form
        sending={carryOut}
        words={data === undefined ? DOING[doing] : `${DOING[doing]}: ${data.changed}`}
        canSend={change !== null && (data?.changed ?? 0) > 0}
      >
        {doing === 'tags' && (
          <div className="grid grid-cols-2 gap-3 max-md:grid-cols-1">
            <TextField label="Put these tags on them, with commas between" value={add} onChange={setAdd} />
            <TextField label="Take these off" value={take} onChange={setTake} />
          </div>
        )}
        {doing === 'replace' && (
          <div className="grid grid-cols-2 gap-3 max-md:grid-cols-1">
            <TextField label="What stands in their destinations" isAddress value={from} placeholder="ref=slowferry" onChange={setFrom} />
            <TextField label="Write in its place" isAddress value={to} onChange={setTo} />
          </div>
        )}
        {doing === 'remove' && <p>Whoever follows them finds nothing from then on, until the step is taken back.</p>}
        <Problem error={preview.error} />
        {change !== null && data !== undefined && (
          <ul className="max-h-[38vh] divide-y overflow-y-auto rounded-md border" aria-label="What becomes of them">
            {data.items.map((item) => (
              <li key={item.slug} className="px-3 py-1.5 text-[14px]">
                <b className="address">{item.slug}</b>
                <span className="block">
                  <del className="address">{item.before}</del> <ins className="address">{item.after}</ins>
                </span>
              </li>
            ))}
            {data.refused.map((each) => (
              <li key={each.slug} className="px-3 py-1.5 text-[14px] text-red">
                <b className="address">{each.slug}</b>: {each.why}
              </li>
            ))}
            {data.items.length + data.refused.length === 0 && <li className="px-3 py-3 text-ink-soft">It changes none of them.</li>}
          </ul>
        )}
      </Form>
    </Dialog>
  )
}
