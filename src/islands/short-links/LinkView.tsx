import { useMutation } from '@tanstack/react-query'
import { type ReactNode, useState } from 'react'
import { toast } from 'sonner'
import type { ShortLink } from '../../contract/short-links.ts'
import { readableAddress } from '../../core/address/index.ts'
import { call, wordsOf } from '../../ui/api.ts'
import { CopyButton } from '../../ui/CopyButton.tsx'
import { Problem } from '../../ui/Form.tsx'
import { Queries, useAsk } from '../../ui/query.tsx'
import { Rope } from '../../ui/Rope.tsx'
import { When } from '../../ui/When.tsx'
import { ChangeDialog } from './ChangeDialog.tsx'
import { CodePart } from './CodePart.tsx'
import { CourseDialog } from './CourseDialog.tsx'
import { Results } from './Results.tsx'
import { SlugsDialog } from './SlugsDialog.tsx'
import { bare, courseWords, STATE_WORDS } from './words.ts'

interface LinkViewProps {
  initial: ShortLink
  canEdit: boolean
  /** The site's short hosts. */
  hosts: readonly string[]
}

export function LinkView(props: LinkViewProps) {
  return (
    <Queries>
      <View {...props} />
    </Queries>
  )
}

/** Everything about one short link. */
function View({ initial, canEdit, hosts }: LinkViewProps) {
  const { data: link, error } = useAsk('short-links.get', { id: initial.id }, { initialData: initial })
  const [open, setOpen] = useState<'change' | 'course' | 'slugs' | null>(null)
  const close = (): void => setOpen(null)
  const words = courseWords(link.course)
  return (
    <div className="mx-auto grid max-w-[1180px] gap-5 px-5 py-6 max-md:px-3">
      <header>
        <p className="note">
          <a href="/short-links">Short links</a> › {link.title === '' ? link.slug : link.title}
        </p>
        <div className="mt-1 flex flex-wrap items-center gap-3">
          <h1 className="text-[26px] break-words">
            {bare(link.address).slice(0, -link.slug.length)}
            <wbr />
            {link.slug}
          </h1>
          <CopyButton address={link.address} isMain />
          {link.state !== 'answers' && <span className="chip chip-red">{STATE_WORDS[link.state]}</span>}
          {link.tags.map((tag) => (
            <a key={tag} className="chip no-underline" href={`/short-links?tag=${encodeURIComponent(tag)}`}>
              {tag}
            </a>
          ))}
        </div>
        <Problem error={error} />
      </header>
      <div className="grid grid-cols-[minmax(0,1fr)_370px] items-start gap-5 max-lg:grid-cols-1">
        <Results id={link.id} />
        <div className="grid gap-4">
          <Sheet title="Where it leads" action={canEdit ? ['Change', () => setOpen('change')] : null}>
            <Rope
              strand={link.strand}
              knots={[
                { kind: 'short link', address: link.address },
                ...(link.partner === null ? [] : [{ kind: 'partner' as const, address: link.partner }]),
              ]}
              end={{ opens: 'same tab', lands: link.state === 'down' ? false : null }}
              width={300}
            />
            <a className="address mt-1.5 block" href={link.destination} target="_blank" rel="noopener">
              {bare(link.destination)}
            </a>
            <p className="note mt-1">
              Answers with {link.status}
              {link.partner !== null && `, leads to ${link.partner}`}.
            </p>
            {link.note !== '' && <p className="mt-2 whitespace-pre-line">{link.note}</p>}
          </Sheet>
          <Sheet title="Who goes where, and when" action={canEdit ? ['Change', () => setOpen('course')] : null}>
            {words.length === 0 ? (
              <p className="text-ink-soft">Everybody, always, to the one page.</p>
            ) : (
              <ul className="grid gap-1.5">
                {words.map((each) => (
                  <li key={each} className="break-words">
                    {each}
                  </li>
                ))}
              </ul>
            )}
          </Sheet>
          <Sheet title="What it answers to" action={canEdit ? ['Change', () => setOpen('slugs')] : null}>
            <ul className="grid gap-1">
              {link.slugs.map((each) => (
                <li key={each.address} className="flex items-center gap-1">
                  <span className="address min-w-0 flex-1 truncate" title={each.address}>
                    {bare(each.address)}
                  </span>
                  <CopyButton address={each.address} />
                </li>
              ))}
            </ul>
          </Sheet>
          <Sheet title="As a code to scan" action={null}>
            <CodePart link={link} />
          </Sheet>
          <UsedOn id={link.id} />
          <History link={link} canEdit={canEdit} />
        </div>
      </div>
      {open === 'change' && <ChangeDialog link={link} onClose={close} />}
      {open === 'course' && <CourseDialog link={link} onClose={close} />}
      {open === 'slugs' && <SlugsDialog link={link} hosts={hosts} onClose={close} />}
    </div>
  )
}

function Sheet({
  title,
  action,
  children,
}: {
  title: string
  action: readonly [words: string, act: () => void] | null
  children: ReactNode
}) {
  return (
    <section aria-label={title} className="sheet px-4 py-3">
      <header className="mb-1.5 flex items-center justify-between gap-2">
        <h2 className="text-[16px]">{title}</h2>
        {action !== null && (
          <button type="button" className="button button-plain !min-h-8 !px-2" onClick={action[1]}>
            {action[0]}
            <span className="sr-only"> {title}</span>
          </button>
        )}
      </header>
      {children}
    </section>
  )
}

function UsedOn({ id }: { id: string }) {
  const { data } = useAsk('short-links.uses', { id })
  return (
    <Sheet title="Used on" action={null}>
      {data === undefined ? (
        <p className="note">Looking…</p>
      ) : data.total === 0 ? (
        <p className="text-ink-soft">None of your pages. In print, mail or elsewhere only you know.</p>
      ) : (
        <ul className="grid gap-1">
          {data.items.map((page) => (
            <li key={page.id} className="truncate">
              <a href={`/pages/${page.id}`}>{page.title}</a> <span className="address text-ink-soft">{readableAddress(page.path)}</span>
            </li>
          ))}
          {data.total > data.items.length && <li className="note">and {data.total - data.items.length} more</li>}
        </ul>
      )}
    </Sheet>
  )
}

/** Where it led before, each brought back by one click. */
function History({ link, canEdit }: { link: ShortLink; canEdit: boolean }) {
  const { data } = useAsk('short-links.history', { id: link.id })
  const restore = useMutation({
    mutationFn: ({ destination, course }: Pick<ShortLink, 'destination' | 'course'>) =>
      call('short-links.change', { id: link.id, body: { version: link.version, destination, course } }),
    onSuccess: (now) => toast.success(`It leads to ${bare(now.destination)} again.`),
    onError: (problem) => toast.error(wordsOf(problem)),
  })
  const items = data?.items ?? []
  return (
    <Sheet title="Until now" action={null}>
      <ol className="grid gap-2 text-[14px]">
        {items.slice(0, 12).map((each) => (
          <li key={each.version} className="grid grid-cols-[minmax(0,1fr)_auto] items-center gap-x-2">
            <span className="address truncate" title={each.destination}>
              {bare(each.destination)}
            </span>
            {canEdit && each.version !== link.version ? (
              <button
                type="button"
                className="button button-plain !min-h-7 !px-2 !py-0"
                disabled={restore.isPending}
                onClick={() => restore.mutate(each)}
              >
                Bring back<span className="sr-only"> version {each.version}</span>
              </button>
            ) : (
              <span />
            )}
            <span className="note">
              <When at={each.at} />
              {each.by !== null && `, ${each.by}`}
            </span>
          </li>
        ))}
      </ol>
    </Sheet>
  )
}
