import { Readable } from 'node:stream'
import type { ReadableStream } from 'node:stream/web'
import busboy from '@fastify/busboy'

/** What came with a multipart form (RFC 7578): its fields, and its one file. */
export interface UploadForm {
  readonly fields: Readonly<Record<string, string>>
  readonly file: { readonly name: string; readonly bytes: Uint8Array } | null
}

const FIELDS_MAX = 50
const FIELD_MAX_BYTES = 32 * 1024 * 1024

/**
 * Reads a form piece by piece, as it comes: others are answered between two pieces, however large its file is. How much may come
 * is counted before (studio/limits.ts).
 * @returns null where the body is no such form, or breaks off
 */
export function readUpload(request: Request): Promise<UploadForm | null> {
  const type = request.headers.get('content-type') ?? ''
  const { body } = request
  if (body === null || !/^multipart\/form-data\b/i.test(type)) return Promise.resolve(null)
  return new Promise((resolve) => {
    const fields: Record<string, string> = {}
    let file: UploadForm['file'] = null
    let parts: ReturnType<typeof busboy>
    try {
      parts = busboy({ headers: { 'content-type': type }, limits: { files: 1, fields: FIELDS_MAX, fieldSize: FIELD_MAX_BYTES } })
    } catch {
      return resolve(null)
    }
    parts.on('field', (name: string, value: string) => {
      fields[name] = value
    })
    parts.on('file', (_field: string, stream: Readable, name: string) => {
      const pieces: Buffer[] = []
      stream.once('error', () => resolve(null)) // a body that ends within its file
      stream.on('data', (piece: Buffer) => pieces.push(piece))
      stream.once('end', () => {
        file = { name: name ?? '', bytes: Buffer.concat(pieces) }
      })
    })
    parts.once('finish', () => resolve({ fields, file }))
    parts.once('error', () => resolve(null))
    Readable.fromWeb(body as ReadableStream)
      .once('error', () => resolve(null))
      .pipe(parts)
  })
}
