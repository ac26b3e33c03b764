import { Readable } from 'node:stream'
import { type Options, type Parser, parse } from 'csv-parse'

const PIECE_BYTES = 64 * 1024

/** Records of a list, read as they are asked for: given all at once, a list of a million would be in memory as a million records. */
export function recordsOf(bytes: Buffer, options: Options): Parser {
  const pieces = function* (): Generator<Buffer> {
    for (let from = 0; from < bytes.length; from += PIECE_BYTES) yield bytes.subarray(from, from + PIECE_BYTES)
  }
  return Readable.from(pieces(), { objectMode: false }).pipe(parse(options))
}
