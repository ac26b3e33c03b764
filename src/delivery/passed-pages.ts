/** Bytes of small pages that are kept, before and after, for when the same page passes again. */
const PASSED_MAX_BYTES = 32 * 1024 * 1024

/** Small pages that passed under one snapshot, by host and path. Most are asked for again before they change. */
export class PassedPages {
  readonly #pages = new Map<string, { readonly before: Buffer; readonly after: Buffer }>()
  #bytes = 0

  /** What became of the page the last time; null when another one stood there. */
  get(key: string, before: Buffer): Buffer | null {
    const known = this.#pages.get(key)
    return known?.before.equals(before) === true ? known.after : null
  }

  keep(key: string, before: Buffer, after: Buffer): void {
    this.#forget(key)
    this.#pages.set(key, { before, after })
    this.#bytes += before.length + after.length
    for (const oldest of this.#pages.keys()) {
      if (this.#bytes <= PASSED_MAX_BYTES) return
      this.#forget(oldest)
    }
  }

  #forget(key: string): void {
    const known = this.#pages.get(key)
    if (known === undefined) return
    this.#bytes -= known.before.length + known.after.length
    this.#pages.delete(key)
  }
}
