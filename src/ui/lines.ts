import { Refusal } from './api.ts'

/**
 * Asks the API for an answer of lines and hands them over as they come in. For threads too.
 * @param path - below /api/v1
 * @throws Refusal
 */
export async function* askLines(path: string, signal: AbortSignal): AsyncGenerator<string> {
  let response: Response
  try {
    response = await fetch(`/api/v1${path}`, { signal })
  } catch (error) {
    if (error instanceof DOMException && error.name === 'AbortError') throw error
    throw new Refusal('offline', 'Map Rope cannot be reached. Is the computer online, and the server running?')
  }
  if (response.status === 401) throw new Refusal('not-signed-in', 'Please sign in again.')
  if (!response.ok || response.body === null) throw new Refusal('internal', 'The links could not be read. Try again in a moment.')
  const reader = response.body.pipeThrough(new TextDecoderStream()).getReader()
  let rest = ''
  for (;;) {
    const { value, done } = await reader.read()
    if (done) break
    const parts = (rest + value).split('\n')
    rest = parts.pop() ?? ''
    yield* parts
  }
}
