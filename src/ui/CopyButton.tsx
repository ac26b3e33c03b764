import { Copy } from 'lucide-react'
import { toast } from 'sonner'

export function CopyButton({ address, isMain = false }: { address: string; isMain?: boolean }) {
  const copy = (): void => {
    navigator.clipboard.writeText(address).then(
      () => toast.success(`Copied ${address}`),
      () => toast.error('This browser does not let a page copy. Select the address and copy it yourself.'),
    )
  }
  return (
    <button
      type="button"
      className={`button ${isMain ? 'button-main' : 'button-plain !px-2'}`}
      onClick={copy}
      aria-label={isMain ? undefined : `Copy ${address}`}
      title="Copy"
    >
      <Copy size={16} aria-hidden="true" />
      {isMain && 'Copy'}
    </button>
  )
}
