/** Elements that had the focus, newest first, each with what it stood in. */
const trail: (readonly Element[])[] = []
const TRAIL_MAX = 8
let isInstalled = false

const chainOf = (element: Element): Element[] => {
  const chain: Element[] = []
  for (let each: Element | null = element; each !== null && each !== document.body; each = each.parentElement) chain.push(each)
  return chain
}

function focusOn(element: Element): void {
  if (!(element instanceof HTMLElement)) return
  if (!element.hasAttribute('tabindex')) element.tabIndex = -1
  element.focus({ preventScroll: true })
}

/** What had the focus is gone, and nothing else has taken it: it goes on where that stood, and not at the top of the page. */
function goOn(): void {
  if (document.activeElement !== null && document.activeElement !== document.body) return
  if (trail[0] === undefined || trail[0][0]?.isConnected !== false) return // whoever clicks beside everything means to
  const main = document.querySelector('main')
  for (const chain of trail) {
    const left = chain.find((each) => each.isConnected && each !== main && each.tagName !== 'ASTRO-ISLAND')
    if (left !== undefined) return focusOn(left)
  }
  if (main !== null) focusOn(main)
}

/** Parts of a screen between which F6 goes on. */
const PARTS = 'nav[aria-label="Areas"], main section[aria-label], main aside[aria-label], [data-ledge]'

/** Goes on to the next part of the screen; one within another comes after it. */
function toNextPart(step: 1 | -1): void {
  const parts = [...document.querySelectorAll<HTMLElement>(PARTS)].filter((each) => each.checkVisibility())
  const now = document.activeElement
  const at = parts.findLastIndex((part) => part.contains(now))
  const next = parts[(at === -1 && step === -1 ? 0 : at + step + parts.length) % parts.length]
  if (next !== undefined) focusOn(next)
  next?.scrollIntoView({ block: 'nearest' })
}

/** Keeps the focus where the work goes on, on every screen; and F6, Shift+F6 go from part to part. Browser only; once a page. */
export function keepFocus(): void {
  if (isInstalled) return
  isInstalled = true
  document.addEventListener('focusin', ({ target }) => {
    if (!(target instanceof Element) || target === document.body) return
    trail.unshift(chainOf(target))
    trail.length = Math.min(trail.length, TRAIL_MAX)
  })
  let isLooking = false
  new MutationObserver(() => {
    if (isLooking) return
    isLooking = true
    // What takes its place may take the focus by itself, a frame later.
    setTimeout(() => {
      isLooking = false
      goOn()
    }, SETTLED_MS)
  }).observe(document.body, { childList: true, subtree: true })
  document.addEventListener('keydown', (event) => {
    if (event.key !== 'F6' || event.altKey || event.ctrlKey || event.metaKey) return
    event.preventDefault()
    toNextPart(event.shiftKey ? -1 : 1)
  })
}
const SETTLED_MS = 60
