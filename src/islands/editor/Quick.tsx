export function Quick({
  label,
  isOff = false,
  onClick,
  children,
}: {
  label: string
  isOff?: boolean
  onClick: () => void
  children: React.ReactNode
}) {
  return (
    <button
      type="button"
      className="button button-plain !px-2"
      aria-label={label}
      title={label}
      aria-disabled={isOff}
      onMouseDown={(event) => event.preventDefault()}
      onClick={() => !isOff && onClick()}
    >
      {children}
    </button>
  )
}
