import { deflateSync } from 'node:zlib'

const WIDTH = 300
const HEIGHT = 250
const INK = [22, 40, 58]
const ROPE = [185, 141, 79]
const SAIL = [246, 241, 230]

/** A banner as a shop would draw it: a sail, a rope and the sea. PNG (W3C Recommendation, third edition), eight bits a channel. */
export function bannerPng(): Buffer {
  const rows = Buffer.alloc(HEIGHT * (1 + 3 * WIDTH))
  for (let y = 0; y < HEIGHT; y++)
    for (let x = 0; x < WIDTH; x++) {
      const isSea = y > 190 + Math.round(6 * Math.sin(x / 14))
      const isSail = !isSea && y > 40 && x > 90 && x < 90 + (y - 40) * 0.8
      const isRope = Math.abs(x - 88) < 3 && y > 30
      const colour = isRope ? ROPE : isSea ? INK : isSail ? SAIL : [212, 226, 224]
      for (const [i, channel] of colour.entries()) rows[y * (1 + 3 * WIDTH) + 1 + 3 * x + i] = channel
    }
  const head = Buffer.alloc(13)
  head.writeUInt32BE(WIDTH, 0)
  head.writeUInt32BE(HEIGHT, 4)
  head.set([8, 2, 0, 0, 0], 8)
  return Buffer.concat([
    Buffer.from([0x89, 0x50, 0x4e, 0x47, 0x0d, 0x0a, 0x1a, 0x0a]),
    chunk('IHDR', head),
    chunk('IDAT', deflateSync(rows)),
    chunk('IEND', Buffer.alloc(0)),
  ])
}

function chunk(type: string, data: Buffer): Buffer {
  const named = Buffer.concat([Buffer.from(type, 'latin1'), data])
  const whole = Buffer.alloc(8 + named.length)
  whole.writeUInt32BE(data.length, 0)
  whole.set(named, 4)
  whole.writeUInt32BE(crc32(named), 4 + named.length)
  return whole
}

/** The check value of PNG, annex D. */
function crc32(bytes: Buffer): number {
  let crc = 0xffffffff
  for (const byte of bytes) {
    crc ^= byte
    for (let bit = 0; bit < 8; bit++) crc = crc & 1 ? (crc >>> 1) ^ 0xedb88320 : crc >>> 1
  }
  return (crc ^ 0xffffffff) >>> 0
}
