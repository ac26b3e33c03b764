import { brotliDecompress, constants, gunzip, inflate } from 'node:zlib'

const UNPACK = {
  gzip: (bytes: Buffer, most: number, done: (error: Error | null, body: Buffer) => void): void =>
    gunzip(bytes, { maxOutputLength: most, finishFlush: constants.Z_SYNC_FLUSH }, done),
  deflate: (bytes: Buffer, most: number, done: (error: Error | null, body: Buffer) => void): void =>
    inflate(bytes, { maxOutputLength: most, finishFlush: constants.Z_SYNC_FLUSH }, done),
  br: (bytes: Buffer, most: number, done: (error: Error | null, body: Buffer) => void): void =>
    brotliDecompress(bytes, { maxOutputLength: most, finishFlush: constants.BROTLI_OPERATION_FLUSH }, done),
} as const

/**
 * The beginning of a body that somebody packed without being asked to: many a server does. What cannot be unpacked, or becomes much
 * more than was sent, is nothing that could be read: it is empty then.
 * @param coding - the value of `Content-Encoding`
 * @param most - bytes that are made of it, at most sixteen times this
 */
export function unpackedStart(bytes: Buffer, coding: string | undefined, most: number): Promise<Buffer> {
  const name = coding?.trim().toLowerCase().replace(/^x-/, '') ?? ''
  if (bytes.length === 0 || !(name in UNPACK)) return Promise.resolve(bytes)
  return new Promise((resolve) => {
    UNPACK[name as keyof typeof UNPACK](bytes, 16 * most, (error, body) =>
      resolve(error === null ? body.subarray(0, most) : Buffer.alloc(0)),
    )
  })
}
