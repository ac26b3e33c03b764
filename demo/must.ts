import type { Result } from '../src/core/result.ts'

/** What was asked for; a demo that is refused something ends there. */
export function must<T>(result: Result<T>): T {
  if (!result.ok) throw new Error(`The demo could not be set up: ${result.fault} ${JSON.stringify(result.detail)}`)
  return result.value
}
