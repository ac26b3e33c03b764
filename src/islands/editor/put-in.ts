import { type RefObject, useEffect, useState } from 'react'
import { escapeAttribute, escapeText, scanLinks, valueNamed } from '../../core/markup/index.ts'
import type { SiteSetup } from '../../core/rules/index.ts'
import type { Analysis } from './analysis.ts'
import type { Choice } from './choice.ts'
import type { PageDraft } from './draft.ts'
import type { FrameHandle } from './Frame.tsx'
import { upload } from './link/upload.ts'

/** Until the panel of what was chosen is there. */
const PANEL_MS = 60

/** Files and buttons that are put into a page where its caret is. */
export function usePutIn({
  frame,
  draft,
  analysis,
  setup,
  canEdit,
  onChoose,
}: {
  frame: RefObject<FrameHandle | null>
  draft: PageDraft
  analysis: Analysis
  setup: SiteSetup
  canEdit: boolean
  onChoose: (choice: Choice) => void
}) {
  /** A picture that was put in and is not on the page yet, by its path. */
  const [wordless, setWordless] = useState<string | null>(null)
  const onFiles = async (files: readonly File[]): Promise<void> => {
    for (const file of files) {
      const made = canEdit ? await upload(file) : null
      if (made === null) continue
      const name = file.name.replace(/\.[^.]*$/, '')
      if (made.mediaType.startsWith('image/')) setWordless(made.path)
      if (made.mediaType.startsWith('image/')) frame.current?.run({ name: 'insert', html: `<img src="${made.path}">`, where: 'here' })
      else
        frame.current?.run({
          name: 'insert',
          html: `<a href="${made.path}"${setup.downloadsFiles === true ? ' download=""' : ''} data-by-hand="">${escapeText(name)}</a>`,
          where: 'here',
        })
    }
  }
  /** A picture that was put in is asked for its words at once: whoever does not see it has nothing else. */
  useEffect(() => {
    const put = wordless === null ? undefined : analysis.pictures.find(({ src, alt }) => src === wordless && alt === null)
    if (put === undefined) return
    setWordless(null)
    onChoose({ kind: 'picture', start: put.start })
    setTimeout(() => document.querySelector<HTMLTextAreaElement>('[data-alt-field]')?.focus(), PANEL_MS)
  }, [analysis, wordless, onChoose])
  const insertButton = (): void => {
    const { text } = draft.state
    const classes = scanLinks(text).links.map(({ attributes }) => valueNamed(text, attributes, 'class') ?? '')
    const known = escapeAttribute(classes.find((each) => /\b(?:button|btn|cta)\b/i.test(each)) ?? 'button')
    frame.current?.run({
      name: 'insert',
      html: `<p><a class="${known}" data-by-hand="">Words of the button</a></p>`,
      where: 'after',
      chooses: true,
    })
  }
  return { onFiles, insertButton }
}
