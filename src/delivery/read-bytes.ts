/** One character for each byte, by the runtime's own copying: many times faster than a decoder. */
export const readBytes = (bytes: Uint8Array): string => Buffer.from(bytes.buffer, bytes.byteOffset, bytes.length).toString('latin1')
