/**
 * Runs inside the frame that shows a page: a document of no origin, whose policy lets this one script run and none of the
 * page's own. What a person writes goes to the studio as patches of the source.
 */
import { shownPage } from '../../../core/markup/index.ts'
import { isClosed, readWriting } from '../../../core/writing/index.ts'
import type { FromFrame, ToFrame } from './messages.ts'
import { groundOn, loadingAttributes, shownAt } from './resources.ts'
import { Writer } from './writer.ts'

const LOADS = { names: loadingAttributes, at: shownAt }

let writer: Writer | null = null
let shown: Extract<ToFrame, { type: 'show' }> | null = null

const tell = (message: FromFrame): void => parent.postMessage(message, '*')

const LOOK = `.ProseMirror{word-wrap:break-word;white-space:break-spaces;outline:none}
.ProseMirror pre{white-space:pre-wrap}.ProseMirror [data-thing]{white-space:normal}
.ProseMirror-gapcursor{display:none;position:absolute}.ProseMirror-focused .ProseMirror-gapcursor{display:block}
.ProseMirror-gapcursor::after{content:"";display:block;width:24px;border-top:2px solid #16283A}
.ProseMirror-separator{display:inline!important;border:none!important;margin:0!important;width:0!important;height:0!important}
.ProseMirror-selectednode{outline:2px solid #B98D4F!important;outline-offset:3px}
[data-rope-around=closed]{opacity:.72;cursor:default}[data-rope-around=closed]:hover{outline:1px dashed #8A7F69;outline-offset:-1px}
[data-rope-around=open]{outline:2px solid #B98D4F;outline-offset:-2px}
[data-thing]{cursor:default}div[data-thing]:hover{outline:1px dashed #8A7F69;outline-offset:2px}
[data-chip]{display:inline-block;font:12px/1.5 system-ui,sans-serif!important;color:#51616E!important;background:#F6F1E6!important;border:1px dashed #8A7F69;border-radius:5px;padding:0 6px;letter-spacing:0!important;text-transform:none!important}
::selection{background:#F3E3BF;color:#16283A}`

/** @param seq - edits made here so far, when the same page is built anew */
function show(message: Extract<ToFrame, { type: 'show' }>, seq = 0): void {
  const scroll = document.scrollingElement?.scrollTop ?? 0
  shown = message
  writer?.view.destroy()
  writer = null
  const page = readWriting(message.text)
  document.open()
  groundOn({ base: message.base, files: message.files })
  document.write(shownPage(page === null ? message.text : page.head + page.foot, message.base, LOADS))
  document.close()
  restyle(message.css)
  listen()
  if (page !== null && document.body !== null) {
    writer = new Writer(document.body, page, {
      sync: message.sync,
      seq,
      isEditable: message.isEditable && !isClosed(page.doc),
      parts: message.parts,
      tell,
    })
  }
  if (document.scrollingElement !== null) document.scrollingElement.scrollTop = scroll
  tell({ type: 'shown', isClosed: page === null || isClosed(page.doc) })
}

function restyle(css: string): void {
  const id = 'map-rope-marks'
  const style = document.getElementById(id) ?? document.createElement('style')
  style.id = id
  style.textContent = LOOK + css
  if (!style.isConnected) (document.head ?? document.documentElement).append(style)
}

/** Opening a document anew takes its listeners off, and its window's. Nothing in the frame leads away. */
function listen(): void {
  addEventListener('message', onMessage)
  const stop = (event: Event): void => {
    if (event.target instanceof Element && event.target.closest('a,area,button,summary,label,input') !== null) event.preventDefault()
  }
  document.addEventListener('click', stop, true)
  document.addEventListener('auxclick', stop, true)
  document.addEventListener('submit', (event) => event.preventDefault(), true)
  document.addEventListener('dragover', (event) => event.preventDefault())
  document.addEventListener('scroll', () => {
    if (writer?.view.state.selection.empty === false) writer.tellSelection()
  })
}

/** A page to be looked at only. */
function preview(html: string, base: string, files: string): void {
  groundOn({ base, files })
  document.open()
  document.write(shownPage(html, base, LOADS))
  document.close()
  listen()
}

function onMessage(event: MessageEvent<ToFrame>): void {
  if (event.source !== parent) return
  const message = event.data
  switch (message.type) {
    case 'show':
      return show(message)
    case 'preview':
      return preview(message.html, message.base, message.files)
    case 'sync':
      // An edit of ours is on its way that the studio had not seen: it answers that one with a newer text.
      if (writer === null || shown === null) return
      if (!writer.mayTake(message.ack)) return
      if (!writer.take(message.sync, message.text, message.select)) show({ ...shown, text: message.text, sync: message.sync }, writer.seq)
      return
    case 'draw':
      if (writer?.isCurrentAt(message.sync, message.ack) === true) writer.draw(message.links)
      return
    case 'point':
      return writer?.select(message.at, message.isFocused)
    case 'open part':
      return writer?.openPart(message.at)
    case 'command':
      return writer?.run(message.command)
  }
}

addEventListener('message', onMessage)
tell({ type: 'ready' })
