import { useEffect, useState } from 'react'

/** Whether the screen is as narrow as a phone's. */
export function useNarrow(): boolean {
  const [isNarrow, setNarrow] = useState(false)
  useEffect(() => {
    const media = matchMedia('(max-width: 767px)')
    const look = (): void => setNarrow(media.matches)
    look()
    media.addEventListener('change', look)
    return () => media.removeEventListener('change', look)
  }, [])
  return isNarrow
}
