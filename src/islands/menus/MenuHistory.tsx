import { useMutation } from '@tanstack/react-query'
import { useEffect, useState } from 'react'
import { toast } from 'sonner'
import type { Menu, MenuBody } from '../../contract/menus.ts'
import type { Revision } from '../../contract/pages.ts'
import { flatMenu, readMenu } from '../../core/menus/index.ts'
import { call, wordsOf } from '../../ui/api.ts'
import { Dialog } from '../../ui/Dialog.tsx'
import { When } from '../../ui/When.tsx'
import { DEPTH_PX } from './MenuRow.tsx'

/** Versions of the menu; going back is a change like any other. */
export function MenuHistory({
  menu,
  onRestore,
  onClose,
}: {
  menu: Menu
  onRestore: (body: MenuBody, version: number) => void
  onClose: () => void
}) {
  const [items, setItems] = useState<readonly Revision[] | null>(null)
  const [shown, setShown] = useState<{ version: number; body: MenuBody } | null>(null)
  useEffect(() => {
    call('pages.history', { id: menu.id }).then(
      (answer) => setItems(answer.items),
      (error: unknown) => toast.error(wordsOf(error)),
    )
  }, [menu.id])
  const look = useMutation({
    mutationFn: (version: number) => call('pages.revision', { id: menu.id, query: { version } }),
    onSuccess: ({ version, source }) => setShown({ version, body: readMenu(source) as MenuBody }),
    onError: (error) => toast.error(wordsOf(error)),
  })
  return (
    <Dialog title={`History of ${menu.title}`} isOpen onClose={onClose} isWide>
      <div className="grid grid-cols-[230px_minmax(0,1fr)] gap-5 max-md:grid-cols-1">
        <ol className="grid max-h-[60dvh] content-start gap-0.5 overflow-y-auto" aria-label="Versions">
          {items?.map((each) => (
            <li key={each.version}>
              <button
                type="button"
                aria-pressed={shown?.version === each.version}
                className="w-full rounded-md px-2.5 py-1.5 text-left hover:bg-sun aria-pressed:bg-sun"
                onClick={() => look.mutate(each.version)}
              >
                <span className="block font-semibold">
                  <When at={each.at} />
                </span>
                <span className="note block">
                  {each.by === null ? 'by Map Rope' : `by ${each.by}`}
                  {each.isLive && <span className="text-sea"> · live</span>}
                </span>
              </button>
            </li>
          ))}
        </ol>
        <div>
          {shown === null ? (
            <p className="note">Choose a version.</p>
          ) : (
            <>
              <p className="mb-3">
                <button
                  type="button"
                  className="button button-main"
                  onClick={() => {
                    onRestore(shown.body, shown.version)
                    onClose()
                  }}
                >
                  Go back to this version
                </button>
              </p>
              <ul className="grid gap-1">
                {flatMenu(shown.body.entries as Parameters<typeof flatMenu>[0]).map((entry) => (
                  <li key={entry.id} style={{ marginLeft: entry.depth * DEPTH_PX }}>
                    <b className="font-semibold">{entry.label}</b>{' '}
                    <span className="address text-ink-soft">{entry.href || 'leads nowhere'}</span>
                  </li>
                ))}
              </ul>
            </>
          )}
        </div>
      </div>
    </Dialog>
  )
}
