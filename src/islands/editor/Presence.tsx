import { useEffect, useState } from 'react'
import { tellLeaving } from '../../ui/api.ts'
import { useAsk } from '../../ui/query.tsx'

const SIGN_MS = 8_000

/** This tab's name, the same after a reload: else the tab that was would count as another one for a while. */
function tabName(): string {
  try {
    const kept = sessionStorage.getItem('map-rope tab') ?? crypto.randomUUID()
    sessionStorage.setItem('map-rope tab', kept)
    return kept
  } catch {
    return crypto.randomUUID()
  }
}

/** Who else has this page open. Signs for this tab, and takes the sign off when it closes. */
export function PresenceLine({ pageId }: { pageId: string }) {
  const [tab] = useState(tabName)
  const { data } = useAsk(
    'pages.presence',
    { id: pageId, body: { tab } },
    { refetchInterval: SIGN_MS, refetchIntervalInBackground: true, retry: false },
  )
  useEffect(() => {
    const leave = (): void => tellLeaving('pages.presence', { id: pageId, body: { tab, isLeaving: true } })
    addEventListener('pagehide', leave)
    return () => removeEventListener('pagehide', leave)
  }, [pageId, tab])
  const others = data?.others ?? []
  if (others.length === 0) return null
  return (
    <span role="status" className="chip !border-rope !py-0 text-[13px]">
      {others.map(({ name, isMe }) => (isMe ? 'you, in another tab' : name)).join(', ')}{' '}
      {others.length === 1 && others[0]?.isMe === false ? 'is here too' : others.length === 1 ? '' : 'are here too'}
    </span>
  )
}
