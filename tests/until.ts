/** Longer than anything here takes, on a busy machine too. */
const PATIENCE_MS = 30_000

/**
 * Looks again and again until something is so.
 * @param look - what it answers ends the waiting, unless it is false, null or undefined
 * @param what - is waited for: told where it does not come to pass
 */
export async function until<T>(
  look: () => T | Promise<T>,
  what = 'what was waited for',
  ms = PATIENCE_MS,
): Promise<Exclude<T, false | null | undefined>> {
  for (const endsAt = Date.now() + ms; ; ) {
    const found = await look()
    if (found !== false && found !== null && found !== undefined) return found as Exclude<T, false | null | undefined>
    if (Date.now() > endsAt) throw new Error(`${what} did not come to pass within ${ms / 1_000} s`)
    await new Promise((resolve) => setTimeout(resolve, 20))
  }
}
