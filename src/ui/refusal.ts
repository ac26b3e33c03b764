import type { Fault } from '../contract/problems.ts'

/** A refusal of the API, or that it could not be reached. `message` is for people. */
export class Refusal extends Error {
  readonly fault: Fault | 'offline'
  readonly facts: Readonly<Record<string, unknown>>

  constructor(fault: Fault | 'offline', message: string, facts: Readonly<Record<string, unknown>> = {}) {
    super(message)
    this.name = 'Refusal'
    this.fault = fault
    this.facts = facts
  }
}
