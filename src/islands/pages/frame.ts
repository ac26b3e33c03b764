/**
 * Runs inside the frame that shows a page: a document of no origin, whose policy lets this one script run and none of the
 * page's own. Tells the studio what a person selects and presses; changes nothing of the page.
 */
import { LINK_MARK, RUN_MARK } from '../../core/markup/index.ts'
import type { FromFrame, ShownPlace, ToFrame } from './frame-messages.ts'

let scroll = 0

function tell(message: FromFrame): void {
  parent.postMessage(message, '*')
}

function show(html: string, css: string): void {
  scroll = document.scrollingElement?.scrollTop ?? scroll
  document.open()
  document.write(html)
  document.close()
  restyle(css)
  listen()
  if (document.scrollingElement !== null) document.scrollingElement.scrollTop = scroll
  tell({ type: 'shown' })
}

function restyle(css: string): void {
  const id = 'map-rope-marks'
  const style = document.getElementById(id) ?? document.createElement('style')
  style.id = id
  style.textContent = css
  if (!style.isConnected) (document.head ?? document.documentElement).append(style)
}

/** Opening a document anew takes its listeners off, and its window's. */
function listen(): void {
  addEventListener('message', onMessage)
  document.addEventListener('selectionchange', () => setTimeout(tellSelection, 0))
  document.addEventListener('click', onClick, true)
  document.addEventListener('auxclick', (event) => event.preventDefault(), true)
  document.addEventListener('submit', (event) => event.preventDefault(), true)
  document.addEventListener('keydown', onKey, true)
  document.addEventListener('paste', (event) => {
    const text = event.clipboardData?.getData('text/plain') ?? ''
    if (text.trim() !== '') tell({ type: 'paste', text })
  })
}

function onClick(event: Event): void {
  const element = event.target instanceof Element ? event.target.closest('a,area') : null
  if (element === null) return
  event.preventDefault() // nothing in the frame leads away
  const start = element.getAttribute(LINK_MARK)
  if (start !== null) tell({ type: 'link', start: Number(start) })
}

function onKey(event: KeyboardEvent): void {
  if (!event.ctrlKey && !event.metaKey) return
  const key = event.key.toLowerCase()
  const meant =
    key === 'k' ? 'link' : key === 'z' && !event.shiftKey ? 'undo' : key === 'y' || (key === 'z' && event.shiftKey) ? 'redo' : null
  if (meant === null) return
  event.preventDefault()
  tell({ type: 'key', key: meant })
}

function tellSelection(): void {
  const selection = document.getSelection()
  if (selection === null || selection.isCollapsed || selection.rangeCount === 0) return tell({ type: 'no selection' })
  const range = selection.getRangeAt(0)
  const texts = textsIn(range)
  const first = texts[0]
  const last = texts[texts.length - 1]
  if (first === undefined || last === undefined) return tell({ type: 'no selection' })
  const from = placeOf(first, range.startContainer === first ? range.startOffset : 0)
  const to = placeOf(last, range.endContainer === last ? range.endOffset : last.data.length)
  if (from !== null && to !== null) tell({ type: 'selection', from, to, words: selection.toString().trim() })
}

/** Text nodes with words in the range, in order. */
function textsIn(range: Range): Text[] {
  const root = range.commonAncestorContainer
  if (root instanceof Text) return [root]
  const walker = document.createTreeWalker(root, NodeFilter.SHOW_TEXT)
  const found: Text[] = []
  for (let node = walker.nextNode(); node !== null; node = walker.nextNode()) {
    if (!(node instanceof Text) || !range.intersectsNode(node)) continue
    const from = range.startContainer === node ? range.startOffset : 0
    const to = range.endContainer === node ? range.endOffset : node.data.length
    if (node.data.slice(from, to).trim() !== '') found.push(node)
  }
  return found
}

/** The comment in front of a text names its run; text before it in the same run counts. */
function placeOf(text: Text, offset: number): ShownPlace | null {
  let shown = offset
  for (let node = text.previousSibling; node !== null; node = node.previousSibling) {
    if (node instanceof Comment && node.data.startsWith(RUN_MARK)) return { run: Number(node.data.slice(RUN_MARK.length)), shown }
    if (!(node instanceof Text)) return null
    shown += node.data.length
  }
  return null
}

function point({ link, words }: Extract<ToFrame, { type: 'point' }>): void {
  if (link !== undefined) document.querySelector(`[${LINK_MARK}="${link}"]`)?.scrollIntoView({ block: 'nearest' })
  if (words === undefined) return
  const walker = document.createTreeWalker(document, NodeFilter.SHOW_COMMENT)
  for (let node = walker.nextNode(); node !== null; node = walker.nextNode()) {
    const text = node.nextSibling
    if (!(node instanceof Comment) || node.data !== `${RUN_MARK}${words.run}` || !(text instanceof Text)) continue
    document.getSelection()?.setBaseAndExtent(text, words.shown, text, Math.min(text.data.length, words.shown + words.length))
    text.parentElement?.scrollIntoView({ block: 'nearest' })
    return
  }
}

function onMessage(event: MessageEvent<ToFrame>): void {
  if (event.source !== parent) return
  if (event.data.type === 'show') show(event.data.html, event.data.css)
  else if (event.data.type === 'style') restyle(event.data.css)
  else if (event.data.type === 'point') point(event.data)
}

addEventListener('message', onMessage)
tell({ type: 'ready' })
