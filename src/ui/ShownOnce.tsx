import { Copy } from 'lucide-react'
import type { ReactNode } from 'react'
import { toast } from 'sonner'

/** A secret that was made and is shown this once: what it is, and a way to take it along. */
export function ShownOnce({ secret, testId, children }: { secret: string; testId: string; children: ReactNode }) {
  const copy = (): void =>
    void navigator.clipboard.writeText(secret).then(
      () => toast.success('Copied.'),
      () => toast.error('This browser does not let a page copy. Select it and copy it yourself.'),
    )
  return (
    <div role="status" className="grid gap-2 rounded-[7px] bg-sun px-4 py-3">
      <p>{children}</p>
      <p className="flex flex-wrap items-center gap-3">
        <span className="address min-w-0 flex-1 break-all" data-testid={testId}>
          {secret}
        </span>
        <button type="button" className="button button-main" onClick={copy}>
          <Copy size={16} aria-hidden="true" />
          Copy it
        </button>
      </p>
    </div>
  )
}
