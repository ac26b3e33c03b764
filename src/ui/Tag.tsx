/** A start tag in the mono face, with what differs from `before` marked. */
export function Tag({ tag, before }: { tag: string; before?: string }) {
  return (
    <code className="block rounded-[7px] px-3 py-2.5 text-[12.5px] leading-relaxed" style={{ background: 'var(--code)', color: '#f2ebdd' }}>
      {partsOf(tag, before).map(({ at, text, isNew }) =>
        isNew ? (
          <mark key={at} style={{ background: 'transparent', color: 'var(--code-mark)', fontWeight: 700 }}>
            {text}
          </mark>
        ) : (
          <span key={at}>{text}</span>
        ),
      )}
    </code>
  )
}

/** Splits a tag at its attributes and says which ones `before` did not have that way. */
function partsOf(tag: string, before: string | undefined): { at: number; text: string; isNew: boolean }[] {
  const parts = [...tag.matchAll(/^<[a-z]+|\s+[^\s=>]+(?:="[^"]*"|='[^']*'|=[^\s>]+)?|\s*\/?>|[^\s]+/gi)]
  return parts.map(({ 0: text, index }) => ({
    at: index,
    text,
    isNew: before !== undefined && text.includes('=') && !before.includes(text.trim()),
  }))
}
