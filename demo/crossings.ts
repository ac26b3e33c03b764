import type { DemoPage } from './pages.ts'
import { seeded } from './random.ts'

/** Entries of the boat's log: long pages with many links inside the site and none that pays, where there is something to choose among. */
const PAGES = 47
const SEED = 1_902
const MONTHS = [
  'January',
  'February',
  'March',
  'April',
  'May',
  'June',
  'July',
  'August',
  'September',
  'October',
  'November',
  'December',
] as const

const OPENINGS = [
  'We left [Hollin](hollin) with the lamp lit and the bread still warm.',
  'Nobody spoke until the buoy, and then everybody did.',
  'The boat was late because the tide was, and the tide is never late.',
  'Eleven passengers, two bicycles, one wedding cake under a coat.',
  'A slow start: the rope had frozen to the ring, and the ring to the wall.',
] as const

/** Sentences with words that somebody would follow. */
const MIDDLES = [
  'Bring a proper waxed smock, because the low path to [the causeway](walk) is wet even when it does not rain.',
  'A woman from [Great Mew](mew) had walked all night in deck boots and said she would do it again.',
  'There are six bunks above the smithy, and the [rooms by the quay](rooms) were full.',
  'We slept in the net loft, which smells of tar and apples.',
  'Somebody had a sheet map with the old ferry steps on it; [ours](chart) does not show them.',
  'The tide tables were wrong by ten minutes, or we were.',
  'The child with the field guide counted forty seabirds before [Tern Holm](tern).',
  'The sailing times on [the board](times) had been chalked over twice.',
  'An oilskin dries by the stove in an hour; a letter takes longer.',
  'You will want a bed for the night if the wind goes round, and it goes round.',
  'She unfolded a proper map on the hatch and put a stone on each corner.',
  'On [Skarrow](skarrow) they keep a waterproof jacket behind the door for whoever comes without one.',
  'It is a long way round without sea boots, and a short way with them.',
  'The bunkhouse has a new roof, and a list of who paid for which slate.',
  'Reading tides is mostly a matter of looking at the same stone every morning.',
  'The birds went up all at once when the engine stopped.',
] as const
const TURNS = [
  'What we carried is in [the packing list](list).',
  'It is all in [the timetable](times), for those who believe it.',
  'The keeper waved from [the hide path](walk).',
  'There was soup on [the quay](rooms), as there is.',
  'We tied up at [Tern Holm](tern) for as long as it takes to say so.',
  '[Great Mew](mew) was a line, then a cloud, then an island.',
  'Back at [Hollin](hollin) the road ended where it always has.',
  'More of this in [the harbour notes](notes).',
  'The light on [Skarrow](skarrow) was lit early.',
  'Who wants to come along finds [what to pack](pack) here.',
] as const

/** The same every time. */
export function crossings(): readonly DemoPage[] {
  const random = seeded(SEED)
  const pick = <T>(of: readonly T[]): T => of[Math.floor(random() * of.length)] as T
  return Array.from({ length: PAGES }, (_, n): DemoPage => {
    const month = MONTHS[n % MONTHS.length] ?? 'March'
    const paragraphs = 9 + Math.floor(random() * 5)
    const body: string[] = [pick(OPENINGS)]
    while (body.length < paragraphs)
      body.push(
        [pick(MIDDLES), pick(TURNS), ...(random() < 0.5 ? [pick(MIDDLES)] : []), pick(TURNS)]
          .filter((each, i, all) => all.indexOf(each) === i)
          .join(' '),
      )
    return { name: `yearbook/crossing-${String(n + 1).padStart(2, '0')}.html`, title: `Yearbook, crossing ${n + 1}: ${month}`, body }
  })
}
