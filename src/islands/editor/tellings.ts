import { toast } from 'sonner'
import { call, wordsOf } from '../../ui/api.ts'

/** What belongs to a shared part is changed there, for all pages at once. */
export function tellPart(part: string): void {
  const [first, name = ''] = part.split(' ')
  const kind = first === 'menu' ? 'menu' : 'block'
  const open = async (): Promise<void> => {
    const { items } = await call('pages.list', { query: { kind, path: `${kind}:${name}` } })
    const [found] = items
    if (found !== undefined) location.assign(kind === 'menu' ? `/menus/${found.id}` : `/pages/${found.id}`)
  }
  toast(`This is the shared ${kind} “${name}”, the same on every page that puts it in.`, {
    action: { label: 'Open it', onClick: () => void open().catch((error: unknown) => toast.error(wordsOf(error))) },
  })
}

const PARTS: Readonly<Record<string, string>> = {
  header: 'the header',
  nav: 'the navigation',
  footer: 'the footer',
  aside: 'the side column',
}

/** A part around the text is written on only once that is meant: most pages show the same there. */
export function tellClosedPart(name: string, open: () => void): void {
  toast(`This is ${PARTS[name] ?? 'a part'} around the text; other pages usually show the same. Nothing was changed.`, {
    id: 'closed part',
    action: { label: 'Write on it here', onClick: open },
  })
}

/** For the log: what was written and what was shown were not the same. Where words were lost the person is told. */
export function tellDiffered(pageId: string, how: 'written anew' | 'typed again' | 'taken back'): void {
  if (how === 'taken back') toast.error('That could not be written into this page, and was taken back. The source view can say it.')
  void call('pages.differed', { id: pageId, body: { how } }).catch(() => {})
}
