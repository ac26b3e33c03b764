/** Room that nobody clears before it is written. */
export const room = (bytes: number): Uint8Array => Buffer.allocUnsafe(bytes)
