/** Elements that are kept of what is pasted from elsewhere; of others only their content is. */
const KEPT = new Set(
  'p h1 h2 h3 h4 h5 h6 ul ol li blockquote pre table thead tbody tfoot tr td th a strong b em i u s sub sup code br img hr figure figcaption dl dt dd'.split(
    ' ',
  ),
)
const DROPPED = new Set(
  'script style meta link title head template iframe object embed form input button select textarea svg noscript'.split(' '),
)
const ATTRIBUTES: Readonly<Record<string, readonly string[]>> = {
  a: ['href', 'rel', 'target', 'title', 'class', 'data-by-hand'],
  img: ['src', 'alt', 'width', 'height', 'class'],
  td: ['colspan', 'rowspan'],
  th: ['colspan', 'rowspan', 'scope'],
  ol: ['start'],
}
const SAFE_ADDRESS = /^(?:https?:|mailto:|tel:|[/#?.]|[^:]*$)/i

/** What was copied elsewhere, as plain source: the words and their meaning, without the look and the machinery of where it came from. */
export function cleanPiece(html: string): string | null {
  const page = new DOMParser().parseFromString(html, 'text/html')
  const out = document.createElement('div')
  for (const node of [...page.body.childNodes]) append(out, node)
  // Word processors part paragraphs by empty ones.
  for (const line of out.querySelectorAll('p,h1,h2,h3,h4,h5,h6'))
    if ((line.textContent ?? '').replace(/[\s\u00a0]/g, '') === '' && line.querySelector('img') === null) line.remove()
  return out.innerHTML.replace(/<!--(?:Start|End)Fragment-->/g, '')
}

function append(to: Element, node: ChildNode): void {
  if (node instanceof Text || node.nodeType === Node.TEXT_NODE) return to.append(node.textContent ?? '')
  if (node.nodeType !== Node.ELEMENT_NODE) return
  const element = node as Element
  const name = element.localName
  if (DROPPED.has(name)) return
  // Some programs wrap what they copy in a bold element that is not bold.
  const isKept = KEPT.has(name) && !(name === 'b' && /font-weight:\s*normal/i.test(element.getAttribute('style') ?? ''))
  const place = isKept ? document.createElement(name) : to
  if (isKept) {
    for (const key of ATTRIBUTES[name] ?? []) {
      const value = element.getAttribute(key)
      if (value !== null && ((key !== 'href' && key !== 'src') || SAFE_ADDRESS.test(value.trim()))) place.setAttribute(key, value)
    }
    to.append(place)
  }
  for (const child of [...element.childNodes]) append(place, child)
}
