import { useMutation } from '@tanstack/react-query'
import { useId, useState } from 'react'
import { toast } from 'sonner'
import type { PlanList, PublicationNew, Unpublished } from '../../contract/publications.ts'
import { call, wordsOf } from '../../ui/api.ts'
import { Dialog } from '../../ui/Dialog.tsx'
import { Form } from '../../ui/Form.tsx'
import { PickPages } from '../../ui/PickPages.tsx'
import { useAsk } from '../../ui/query.tsx'
import { When } from '../../ui/When.tsx'
import type { InWords } from '../../words/index.ts'

/** @param left - pages that are not to go along, as ticked before */
export function PlanDialog({
  pages,
  morePages,
  left,
  onClose,
}: {
  pages: Unpublished['pages']
  morePages: number
  left: ReadonlySet<string>
  onClose: () => void
}) {
  const id = useId()
  const [chosen, setChosen] = useState<ReadonlySet<string> | null>(
    left.size === 0 ? null : new Set(pages.filter((page) => !left.has(page.id)).map((page) => page.id)),
  )
  const what: PublicationNew = chosen === null ? { all: true } : { pages: [...chosen] }
  const [at, setAt] = useState('')
  const plan = useMutation({
    mutationFn: () => call('publications.plan', { body: { at: new Date(at).toISOString(), what } }),
    onSuccess: () => {
      toast.success('Planned. It publishes by itself.')
      onClose()
    },
  })
  return (
    <Dialog title="Publish later" isOpen onClose={onClose}>
      <Form sending={plan} words="Plan it" canSend={at !== '' && chosen?.size !== 0}>
        <PickPages
          label="What? It goes live by itself, in your name."
          all="Everything that differs then"
          some="These pages, as they are then"
          first="all"
          pages={pages}
          more={morePages}
          chosen={chosen}
          onChoose={setChosen}
        />
        <div>
          <label className="field-label" htmlFor={id}>
            When? (your clock)
          </label>
          <input id={id} className="field" type="datetime-local" required value={at} onChange={(event) => setAt(event.target.value)} />
        </div>
      </Form>
    </Dialog>
  )
}

export function Plans({ plans, canPublish }: { plans: InWords<PlanList>; canPublish: boolean }) {
  const { data } = useAsk('publications.plans', {}, { initialData: plans, refetchInterval: 10_000 })
  const cancel = useMutation({
    mutationFn: (id: string) => call('publications.cancelPlan', { id }),
    onError: (error) => toast.error(wordsOf(error)),
  })
  if (data.items.length === 0) return null
  return (
    <section>
      <h2 className="mb-2 text-[19px]">Planned</h2>
      <ul className="sheet divide-y">
        {data.items.slice(0, 10).map((plan) => (
          <li key={plan.id} className="flex flex-wrap items-center gap-3 px-4 py-2">
            <b className="font-semibold">
              <When at={plan.at} />
            </b>
            <span className="note flex-1">
              {plan.pages === null ? 'everything' : `${plan.pages} ${plan.pages === 1 ? 'page' : 'pages'}`}
              {plan.by === null ? '' : `, by ${plan.by}`}
              {plan.message === null ? '' : `. ${plan.message}`}
            </span>
            <span className={plan.state === 'failed' ? 'text-red' : plan.state === 'done' ? 'text-sea' : 'font-semibold text-rope-text'}>
              {plan.state}
            </span>
            {plan.state === 'planned' && canPublish && (
              <button type="button" className="button" disabled={cancel.isPending} onClick={() => cancel.mutate(plan.id)}>
                Give it up
              </button>
            )}
          </li>
        ))}
      </ul>
    </section>
  )
}
