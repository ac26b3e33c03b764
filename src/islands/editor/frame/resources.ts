/** Where files of the page's own site are shown from: the studio, since those that are not published are nowhere else. */
interface Ground {
  /** Absolute address of the page. */
  readonly base: string
  /** Path on the studio's host, such as "/pages/draft-files/…". */
  readonly files: string
}
let ground: Ground | null = null
export const groundOn = (next: Ground): void => {
  ground = next
}

/** The address under which a picture, style or font is shown here; as it is for what lies elsewhere. */
export function shownAt(address: string): string {
  if (ground === null || address === '' || !URL.canParse(address, ground.base)) return address
  const url = new URL(address, ground.base)
  return url.origin === new URL(ground.base).origin ? location.origin + ground.files + url.pathname + url.search : address
}

/** Attributes of elements that load something to be shown. */
const LOADING: Readonly<Record<string, readonly string[]>> = {
  img: ['src'],
  source: ['src'],
  video: ['src', 'poster'],
  audio: ['src'],
  image: ['href', 'xlink:href'],
  use: [],
  link: ['href'],
  input: ['src'],
  body: ['background'],
}
export const loadingAttributes = (element: string): readonly string[] => LOADING[element] ?? []

/** Lets everything in a piece of a page be loaded from where it is shown. */
export function loadHere(root: ParentNode): void {
  for (const element of root.querySelectorAll(Object.keys(LOADING).join(','))) {
    for (const name of loadingAttributes(element.localName)) {
      const value = element.getAttribute(name)
      if (value !== null) element.setAttribute(name, shownAt(value))
    }
    element.removeAttribute('srcset') // one picture is enough to write beside
  }
}
