import { useMutation } from '@tanstack/react-query'
import { toast } from 'sonner'
import type { WaitingLink, WaitingList } from '../../contract/waiting.ts'
import { readableAddress } from '../../core/address/index.ts'
import { call, wordsOf } from '../../ui/api.ts'
import { Queries, useAsk } from '../../ui/query.tsx'
import { When } from '../../ui/When.tsx'

/** Contributors' new outside links, each in its sentence, until an editor has looked at it. */
export function Waiting({ initial, canDecide }: { initial: WaitingList; canDecide: boolean }) {
  return (
    <Queries>
      <List initial={initial} canDecide={canDecide} />
    </Queries>
  )
}

const FLAGS = { many: 'one of five or more at once', 'new site': 'nobody has linked to this site before' } as const

function List({ initial, canDecide }: { initial: WaitingList; canDecide: boolean }) {
  const { data } = useAsk('waiting.list', {}, { initialData: initial })
  const decide = useMutation({
    mutationFn: ({ id, accept }: { id: string; accept: boolean }) => call('waiting.decide', { id, body: { accept } }),
    onSuccess: (_, { accept }) => {
      toast.success(accept ? 'Accepted. From now on the rules decide for it.' : 'Refused. The link is taken off; the words stay.')
    },
    onError: (error) => toast.error(wordsOf(error)),
  })
  return (
    <div className="mx-auto grid max-w-[900px] gap-4 px-5 py-7 max-md:px-3">
      <header>
        <h1 className="text-[26px]">Waiting links</h1>
        <p className="note">
          What contributors link outside waits here. Until somebody accepts it, readers’ browsers get it as a visitor’s (ugc, nofollow).
        </p>
      </header>
      {data.items.length === 0 ? (
        <p className="sheet px-5 py-8 text-center text-ink-soft">Nothing waits.</p>
      ) : (
        <ul className="grid gap-3">
          {data.items.map((link) => (
            <One
              key={link.id}
              link={link}
              canDecide={canDecide}
              isBusy={decide.isPending}
              onDecide={(accept) => decide.mutate({ id: link.id, accept })}
            />
          ))}
        </ul>
      )}
    </div>
  )
}

function One({
  link,
  canDecide,
  isBusy,
  onDecide,
}: {
  link: WaitingLink
  canDecide: boolean
  isBusy: boolean
  onDecide: (accept: boolean) => void
}) {
  const at = link.words === '' ? -1 : link.sentence.indexOf(link.words)
  return (
    <li className="sheet grid gap-2 px-4 py-3">
      <p className="text-[16px]">
        {at === -1 ? (
          <>
            {link.sentence} <b>{link.words === '' ? 'a picture' : link.words}</b>
          </>
        ) : (
          <>
            {link.sentence.slice(0, at)}
            <b className="underline decoration-dotted decoration-2 underline-offset-4">{link.words}</b>
            {link.sentence.slice(at + link.words.length)}
          </>
        )}
      </p>
      <p className="address">{readableAddress(link.address)}</p>
      <div className="flex flex-wrap items-center gap-x-3 gap-y-2">
        <span className="note flex-1">
          {link.by ?? 'Somebody'} on <a href={`/pages/${link.pageId}`}>{link.title}</a>, <When at={link.at} />
        </span>
        {link.flags.map((flag) => (
          <span key={flag} className="chip chip-red">
            {FLAGS[flag]}
          </span>
        ))}
        {canDecide && (
          <span className="flex gap-2">
            <a className="button" href={link.address} target="_blank" rel="noopener nofollow">
              Try it
            </a>
            <button type="button" className="button" disabled={isBusy} onClick={() => onDecide(false)}>
              Refuse<span className="sr-only"> {link.words}</span>
            </button>
            <button type="button" className="button button-main" disabled={isBusy} onClick={() => onDecide(true)}>
              Accept<span className="sr-only"> {link.words}</span>
            </button>
          </span>
        )}
      </div>
    </li>
  )
}
