import type { Visit } from '../../contract/visits.ts'
import type { StopFault, Verdict } from '../../core/checks/index.ts'

/** Why a visit went no further at a stop. */
const STOP_FAULT_WORDS: Readonly<Record<StopFault, string>> = {
  'this-machine': 'it leads into this machine, which is out of bounds',
  'private-network': 'it leads into a private network, which is out of bounds',
  'no-name': 'no site goes by this name',
  'nobody-answers': 'nobody answers there',
  'broke-off': 'it breaks off before it has answered',
  certificate: 'its certificate cannot be trusted',
  'not-in-time': 'it did not answer in time',
  'too-slow': 'it answers too slowly',
  unreachable: 'it could not be reached',
  'no-short-link': 'there is no short link of this name',
  'no-page': 'there is no such page',
  'told-gone': 'it is told to be gone',
  'no-address': 'it is sent on to something that is no address',
  'in-a-circle': 'it is sent round in a circle',
  'too-many-hops': 'it is sent on too many times',
}

/** What the status at the end says, where nothing else does. */
const STATUS_WORDS: Partial<Readonly<Record<Verdict, string>>> = {
  missing: 'the site answers that there is nothing here',
  failing: 'the site answers that it is broken',
  refused: 'robots are turned away here; what readers find nobody knows',
}

/** What there is to say of the last stop of a visit; null where it lands. */
export function endWords({ hops, verdict, also }: Visit): string | null {
  const why = hops[hops.length - 1]?.why ?? null
  if (why !== null) return STOP_FAULT_WORDS[why]
  return [verdict, ...also].map((each) => STATUS_WORDS[each]).find((words) => words !== undefined) ?? null
}
