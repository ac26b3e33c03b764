/** One of a few ways to see something, side by side. */
export function Either<T extends string>({
  label,
  value,
  options,
  onChange,
}: {
  label: string
  value: T
  options: readonly (readonly [value: T, words: string])[]
  onChange: (value: T) => void
}) {
  return (
    <fieldset className="inline-flex">
      <legend className="sr-only">{label}</legend>
      {options.map(([each, words]) => (
        <button
          key={each}
          type="button"
          aria-pressed={value === each}
          className="-ml-px border px-3 py-1 text-[14px] first-of-type:ml-0 first-of-type:rounded-l-md last-of-type:rounded-r-md aria-pressed:bg-sun aria-pressed:font-semibold"
          onClick={() => onChange(each)}
        >
          {words}
        </button>
      ))}
    </fieldset>
  )
}
