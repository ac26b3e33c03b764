import { useEffect, useRef, useState } from 'react'

/** From any page in the browser to a short link of it: a bookmark that brings its address and title here. */
export function FromAnyPage() {
  const place = useRef<HTMLAnchorElement>(null)
  const [isOpen, setOpen] = useState(false)
  // A page of ours runs no code from an address; this one is for the bookmarks, and runs where it is pressed.
  useEffect(() => {
    const to = `${location.origin}/short-links`
    const code = `open('${to}?paste='+encodeURIComponent(location.href)+'&title='+encodeURIComponent(document.title))`
    if (isOpen) place.current?.setAttribute('href', `javascript:void ${code}`)
  }, [isOpen])
  return (
    <details className="mt-2 px-1 text-[14px]" onToggle={({ currentTarget }) => setOpen(currentTarget.open)}>
      <summary className="cursor-pointer text-ink-soft">From any page in two keys</summary>
      <div className="mt-2 grid gap-1.5">
        <p>
          Drag this to your bookmarks:{' '}
          <a ref={place} className="button !min-h-8" href="/short-links" onClick={(event) => event.preventDefault()}>
            Short link of this page
          </a>
        </p>
        <p>
          On any page, press it: its address and title come here, with a slug thought of. <kbd>Enter</kbd> makes the link, and it is copied.
          On a phone, add Map Rope to the home screen; then it stands among the places that a page can be shared to.
        </p>
      </div>
    </details>
  )
}
