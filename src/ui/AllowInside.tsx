import { useMutation } from '@tanstack/react-query'
import { useState } from 'react'
import { call, Refusal, wordsOf } from './api.ts'

/** Which address inside one's own network was refused, and whether the one who asked may allow it; null for any other refusal. */
export function insideOf(error: Error): { readonly host: string; readonly mayAllow: boolean } | null {
  if (!(error instanceof Refusal) || error.fault !== 'inside-not-allowed') return null
  const { host, mayAllow } = error.facts
  return typeof host === 'string' ? { host, mayAllow: mayAllow === true } : null
}

/** Where it is needed: allows one address inside one's own network to be asked from here. What was typed stays as it is. */
export function AllowInside({ host }: { host: string }) {
  const [allowed, setAllowed] = useState('')
  const allow = useMutation({
    mutationFn: async () => {
      const { version, insideAllowed } = await call('sites.get', {})
      await call('sites.change', { body: { version, insideAllowed: [...new Set([...insideAllowed, host])] } })
    },
    onSuccess: () => setAllowed(host),
  })
  if (allowed === host) return <span className="text-ink"> {host} may be asked from now on. Try again.</span>
  return (
    <span className="mt-1.5 block text-ink">
      Whoever may have addresses asked from here can then see what <span className="address">{host}</span> answers.{' '}
      <button type="button" className="button" disabled={allow.isPending} onClick={() => allow.mutate()}>
        Allow {host}
      </button>
      {allow.error !== null && <span className="text-red"> {wordsOf(allow.error)}</span>}
    </span>
  )
}
