import { useEffect, useState } from 'react'

/** The value once it has stayed the same for `ms`: what somebody typed, not every letter on the way. */
export function useSettled<T>(value: T, ms: number): T {
  const [settled, setSettled] = useState(value)
  useEffect(() => {
    const timer = setTimeout(() => setSettled(value), ms)
    return () => clearTimeout(timer)
  }, [value, ms])
  return settled
}
