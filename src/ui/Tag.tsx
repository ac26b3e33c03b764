/** A start tag in the mono face, with what differs from `before` marked. */
export function Tag({ tag, before }: { tag: string; before?: string }) {
  return (
    <code className="block rounded-[7px] px-3 py-2.5 text-[12.5px] leading-relaxed" style={{ background: 'var(--code)', color: '#f2ebdd' }}>
      {partsOf(tag, before).map(([text, isNew], i) =>
        // biome-ignore lint/suspicious/noArrayIndexKey: parts have no identity but their place
        isNew ? <mark key={i} style={{ background: 'transparent', color: 'var(--code-mark)', fontWeight: 700 }}>{text}</mark> : <span key={i}>{text}</span>,
      )}
    </code>
  )
}

/** Splits a tag at its attributes and says which ones `before` did not have that way. */
function partsOf(tag: string, before: string | undefined): [string, boolean][] {
  const parts = tag.match(/^<[a-z]+|\s+[^\s=>]+(?:="[^"]*"|='[^']*'|=[^\s>]+)?|\s*\/?>|[^\s]+/gi) ?? [tag]
  return parts.map((part) => [part, before !== undefined && /=/.test(part) && !before.includes(part.trim())])
}
