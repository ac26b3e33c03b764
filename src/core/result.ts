/** Facts that go with a fault, for the sentence a person reads. Plain JSON values only. */
export type FaultDetail = Readonly<Record<string, unknown>>

/** An expected refusal: `fault` is a short word that callers can switch on. */
export interface Failure<F extends string = string> {
  readonly ok: false
  readonly fault: F
  readonly detail: FaultDetail
}

/** An answer or an expected refusal. Broken promises (our own bugs) throw instead. */
export type Result<T, F extends string = string> = { readonly ok: true; readonly value: T } | Failure<F>

/** Wraps an answer. */
export const ok = <T>(value: T): { readonly ok: true; readonly value: T } => ({ ok: true, value })

/** Makes a refusal named by `fault`. */
export const fail = <F extends string>(fault: F, detail: FaultDetail = {}): Failure<F> => ({ ok: false, fault, detail })
