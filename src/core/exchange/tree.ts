import domino from '@mixmark-io/domino'
import { type DefaultTreeAdapterTypes, defaultTreeAdapter, parseFragment } from 'parse5'

/** Nodes take no other names (DOM Standard, "validate"); markup can have them, and Markdown has no words for those. */
const PLAIN_NAME = /^[a-z_][\w.:-]*$/i

/**
 * HTML as the nodes that the Markdown library walks. parse5 reads it, as it does for the editor: what the library's own
 * reader makes of odd markup would be one more opinion.
 * @returns an element that holds it all
 */
export function treeOf(html: string): HTMLElement {
  const document = domino.createDocument('')
  const grow = (from: DefaultTreeAdapterTypes.ParentNode, to: Node): Node => {
    for (const child of from.childNodes) {
      if (defaultTreeAdapter.isTextNode(child)) to.appendChild(document.createTextNode(child.value))
      else if (defaultTreeAdapter.isElementNode(child)) {
        if (!PLAIN_NAME.test(child.tagName)) grow(child, to)
        else to.appendChild(grow(child, elementOf(child)))
      }
    }
    return to
  }
  const elementOf = ({ tagName, attrs }: DefaultTreeAdapterTypes.Element): HTMLElement => {
    const element = document.createElement(tagName)
    for (const { name, value } of attrs) if (PLAIN_NAME.test(name)) element.setAttribute(name, value)
    return element
  }
  const root = document.createElement('div')
  grow(parseFragment(html), root)
  return root
}
