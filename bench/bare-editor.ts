/** The peer of the editor row: the bare editor component on the same text, with nothing around it. */
import { Editor } from '@tiptap/core'
import StarterKit from '@tiptap/starter-kit'

declare global {
  interface Window {
    openBare: (html: string) => void
  }
}

window.openBare = (html) => {
  const editor = new Editor({ element: document.body, extensions: [StarterKit], content: html })
  editor.commands.focus('start')
}
