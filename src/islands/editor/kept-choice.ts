import { useEffect } from 'react'
import { differenceOf } from '../../core/markup/index.ts'
import type { Analysis } from './analysis.ts'
import { type Choice, movedChoice, movedStretch, type Selected } from './choice.ts'
import type { PageDraft } from './draft.ts'

/** What is chosen stays chosen while the text around it changes: places move along. */
export function useChoiceKept(
  draft: PageDraft,
  setExplicit: React.Dispatch<React.SetStateAction<Choice | null>>,
  setSelected: React.Dispatch<React.SetStateAction<Selected>>,
): void {
  useEffect(() => {
    let before = draft.state.text
    return draft.subscribe(() => {
      const { text } = draft.state
      if (text === before) return
      const change = differenceOf(before, text)
      before = text
      if (change === null) return
      setExplicit((choice) => choice && movedChoice(choice, change))
      setSelected((selected) => {
        const { from, to } = movedStretch(selected, change)
        return from === selected.from && to === selected.to ? selected : { ...selected, from, to }
      })
    })
  }, [draft, setExplicit, setSelected])
}

/** One panel for one link, wherever it moves: what is typed in it stays, and the focus. */
export function panelKeyOf(choice: Choice, { delivered, pictures }: Analysis, typedAt: number): string {
  if (choice.kind === 'nothing') return 'nothing'
  if (choice.kind === 'words') return `${choice.words} ${typedAt}`
  if (choice.kind === 'link') return `link ${delivered.findIndex(({ link }) => link.start === choice.start)}`
  return `picture ${pictures.findIndex(({ start }) => start === choice.start)}`
}
