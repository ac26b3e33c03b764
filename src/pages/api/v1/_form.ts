import { Readable } from 'node:stream'
import type { ReadableStream } from 'node:stream/web'
import busboy from '@fastify/busboy'

export type FormFields = Readonly<Record<string, string>>

/** The one file of a form, piece by piece as it comes. */
export interface FormFile {
  readonly name: string
  readonly bytes: AsyncIterable<Uint8Array>
}

const FIELDS_MAX = 50
const FIELD_MAX_BYTES = 32 * 1024 * 1024

/** A form broke off, or is none. */
class FormBroken extends Error {}

/**
 * Reads a multipart form (RFC 7578) as it comes: its file goes to `take`, which may leave what it does not want. How much may come is
 * counted before (studio/limits.ts).
 * @param take - given the file, and the fields, which are whole at the end of the form: some stand behind the file
 * @returns what `take` says, null where there is no file; with the fields. Null where the body is no such form, or breaks off
 */
export async function takeUpload<T>(
  request: Request,
  take: (file: FormFile, fields: () => Promise<FormFields>) => Promise<T>,
): Promise<{ readonly fields: FormFields; readonly taken: T | null } | null> {
  const type = request.headers.get('content-type') ?? ''
  const { body } = request
  if (body === null || !/^multipart\/form-data\b/i.test(type)) return null
  let taking: Promise<T> | null = null
  const fields = new Promise<FormFields>((resolve, reject) => {
    const read: Record<string, string> = {}
    let file: Readable | null = null
    const broken = (): void => {
      const why = new FormBroken('The form broke off')
      reject(why)
      file?.destroy(why) // whoever takes it waits for its end
    }
    let parts: ReturnType<typeof busboy>
    try {
      parts = busboy({ headers: { 'content-type': type }, limits: { files: 1, fields: FIELDS_MAX, fieldSize: FIELD_MAX_BYTES } })
    } catch {
      return broken() // it says of itself how its parts are told apart, or does not
    }
    parts.on('field', (name: string, value: string) => {
      read[name] = value
    })
    parts.on('file', (_field: string, stream: Readable, name: string) => {
      file = stream
      stream.on('error', broken) // a body that ends within its file
      const bytes = stream.iterator({ destroyOnReturn: false })
      taking = take({ name: name ?? '', bytes }, () => fields)
      // What is not wanted is still read: the form goes on behind it.
      void taking.catch(() => {}).finally(() => stream.resume())
    })
    parts.once('finish', () => resolve(read))
    parts.once('error', broken)
    Readable.fromWeb(body as ReadableStream)
      .once('error', broken)
      .pipe(parts)
  })
  try {
    return { fields: await fields, taken: await taking }
  } catch (error) {
    await Promise.resolve(taking).catch(() => {})
    if (error instanceof FormBroken) return null
    throw error
  }
}

/** A body as it comes, for what is kept piece by piece. What is not taken of it is still read: an answer reaches whoever has sent all. */
export async function* bodyOf({ body }: Request): AsyncGenerator<Uint8Array> {
  if (body === null) return
  const stream = Readable.fromWeb(body as ReadableStream)
  try {
    yield* stream.iterator({ destroyOnReturn: false })
  } finally {
    stream.on('error', () => {}) // it may break off while nobody listens any more
    stream.resume()
  }
}
