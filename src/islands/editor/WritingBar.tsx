import { Toolbar } from '@base-ui/react/toolbar'
import {
  Bold,
  Code2,
  Columns3,
  Heading2,
  Heading3,
  ImagePlus,
  Italic,
  List,
  ListOrdered,
  Megaphone,
  Minus,
  MousePointerClick,
  Pilcrow,
  Plus,
  Quote,
  Rows3,
  Table2,
  Trash2,
} from 'lucide-react'
import type { ReactNode } from 'react'
import type { Command, Standing } from './frame/messages.ts'

interface WritingBarProps {
  standing: Standing | null
  onCommand: (command: Command) => void
  onPicture: () => void
  onButton: () => void
  /** Null where the site has no partners. */
  onBanner: (() => void) | null
}

const TABLE = '<table>\n  <tbody>\n    <tr><th></th><th></th></tr>\n    <tr><td></td><td></td></tr>\n  </tbody>\n</table>'

/** What a person can do to the words besides linking them. */
export function WritingBar({ standing, onCommand, onPicture, onButton, onBanner }: WritingBarProps) {
  const block = standing?.block ?? ''
  const inTable = standing?.isInTable === true
  const has = (name: string): boolean => standing?.wraps.includes(name) === true
  return (
    <Toolbar.Root aria-label="Writing" className="flex flex-wrap items-center">
      <Tool label="Paragraph (Ctrl Alt 0)" isOn={block === 'p'} onClick={() => onCommand({ name: 'block', element: 'p' })}>
        <Pilcrow size={17} />
      </Tool>
      <Tool label="Heading (Ctrl Alt 2)" isOn={block === 'h2'} onClick={() => onCommand({ name: 'block', element: 'h2' })}>
        <Heading2 size={18} />
      </Tool>
      <Tool label="Smaller heading (Ctrl Alt 3)" isOn={block === 'h3'} onClick={() => onCommand({ name: 'block', element: 'h3' })}>
        <Heading3 size={18} />
      </Tool>
      <Gap />
      <Tool label="Strong (Ctrl B)" isOn={has('strong')} onClick={() => onCommand({ name: 'wrap', element: 'strong' })}>
        <Bold size={17} />
      </Tool>
      <Tool label="Emphasis (Ctrl I)" isOn={has('em')} onClick={() => onCommand({ name: 'wrap', element: 'em' })}>
        <Italic size={17} />
      </Tool>
      <Tool label="Code" isOn={has('code')} onClick={() => onCommand({ name: 'wrap', element: 'code' })}>
        <Code2 size={17} />
      </Tool>
      <Gap />
      <Tool label="List" isOn={false} onClick={() => onCommand({ name: 'list', element: 'ul' })}>
        <List size={18} />
      </Tool>
      <Tool label="Numbered list" isOn={false} onClick={() => onCommand({ name: 'list', element: 'ol' })}>
        <ListOrdered size={18} />
      </Tool>
      <Tool label="Quote" isOn={false} onClick={() => onCommand({ name: 'quote' })}>
        <Quote size={17} />
      </Tool>
      <Gap />
      <Tool label="Picture" isOn={false} onClick={onPicture}>
        <ImagePlus size={18} />
      </Tool>
      <Tool label="Button" isOn={false} onClick={onButton}>
        <MousePointerClick size={18} />
      </Tool>
      {onBanner !== null && (
        <Tool label="A partner’s banner" isOn={false} onClick={onBanner}>
          <Megaphone size={18} />
        </Tool>
      )}
      <Tool label="Table" isOn={false} onClick={() => onCommand({ name: 'insert', html: TABLE, where: 'after' })}>
        <Table2 size={18} />
      </Tool>
      <Tool label="Rule" isOn={false} onClick={() => onCommand({ name: 'insert', html: '<hr>', where: 'after' })}>
        <Minus size={18} />
      </Tool>
      <Gap />
      <Tool label="Add a row" isOn={false} isOff={!inTable} onClick={() => onCommand({ name: 'row' })}>
        <Rows3 size={17} />
        <Plus size={12} />
      </Tool>
      <Tool label="Add a column" isOn={false} isOff={!inTable} onClick={() => onCommand({ name: 'column' })}>
        <Columns3 size={17} />
        <Plus size={12} />
      </Tool>
      <Tool label="Take the row out" isOn={false} isOff={!inTable} onClick={() => onCommand({ name: 'take row' })}>
        <Rows3 size={17} />
        <Trash2 size={12} />
      </Tool>
      <Tool label="Take the column out" isOn={false} isOff={!inTable} onClick={() => onCommand({ name: 'take column' })}>
        <Columns3 size={17} />
        <Trash2 size={12} />
      </Tool>
    </Toolbar.Root>
  )
}

const Gap = () => <Toolbar.Separator className="mx-0.5 h-5 border-l" />

/** The page keeps its selection: a button of the bar never takes the focus on a click. The bar is one stop of the Tab key. */
function Tool({
  label,
  isOn,
  isOff = false,
  onClick,
  children,
}: {
  label: string
  isOn: boolean
  isOff?: boolean
  onClick: () => void
  children: ReactNode
}) {
  return (
    <Toolbar.Button
      className="inline-flex h-8 min-w-[28px] items-center justify-center rounded-md px-0.5 hover:bg-sun aria-pressed:bg-sun data-disabled:opacity-40"
      aria-label={label}
      aria-pressed={isOn}
      title={label}
      disabled={isOff}
      onMouseDown={(event) => event.preventDefault()}
      onClick={onClick}
    >
      {children}
    </Toolbar.Button>
  )
}
