import { useId } from 'react'

/** A file to be chosen, with its label above it. @param accept - endings and media types, as an `input` takes them; any when left out */
export function FileField({ label, accept, onFile }: { label: string; accept?: string; onFile: (file: File) => void }) {
  const id = useId()
  return (
    <div>
      <label className="field-label" htmlFor={id}>
        {label}
      </label>
      <input
        id={id}
        className="field file:mr-3 file:cursor-pointer file:rounded-md file:border file:border-edge file:border-solid file:bg-paper file:px-3 file:py-1 file:font-semibold"
        type="file"
        accept={accept}
        onChange={({ target }) => target.files?.[0] !== undefined && onFile(target.files[0])}
      />
    </div>
  )
}
