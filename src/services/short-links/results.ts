import { mayAsk } from '../../contract/operation.ts'
import type { ShortLinkCourse } from '../../contract/short-link-course.ts'
import { shortLinkResults as calls, type ShortLinkResults, type ShortLinkResultsQuery } from '../../contract/short-link-results.ts'
import { shareOf, surelyBest } from '../../core/clicks/index.ts'
import { fail, ok, type Result } from '../../core/result.ts'
import { DAY_MS, HOUR_MS } from '../../core/time.ts'
import {
  beginOf,
  clicksByDay,
  clicksByHour,
  clicksByHourOfDay,
  clicksBySource,
  clicksByVariant,
  ordersOfSubs,
  type Stretch,
  subsOfDestinations,
  visitorsSince,
} from '../../data/click-results.ts'
import { followedLinks } from '../../data/counted-pages.ts'
import { readSite } from '../../data/sites.ts'
import { type Said, tell } from '../../words/index.ts'
import type { Actor, Context } from '../context.ts'
import type { shortLinksService } from './short-links.ts'

/** Hours that are shown one by one. */
const HOURS = 48
/** Values of a source that are named. */
const SOURCES_MAX = 12
/** Orders below this tell nothing of a split. */
const ORDERS_LEAST = 5

/** A day as many days later, by the calendar. @param day - and the answer: as "2026-11-24" */
const dayAfter = (day: string, days: number): string => new Date(Date.parse(day) + days * DAY_MS).toISOString().slice(0, 10)
/** The day it is in a zone. */
const dayIn = (zone: string, ms: number): string => new Intl.DateTimeFormat('sv-SE', { timeZone: zone, dateStyle: 'short' }).format(ms)
/** Placements that are named. */
const PLACES_MAX = 20

/** Who followed a short link, and what came of it. */
export function shortLinkResultsService({ db }: Context, shortLinks: ReturnType<typeof shortLinksService>) {
  return {
    async look(
      actor: Actor,
      id: string,
      { days }: ShortLinkResultsQuery,
      nowMs = Date.now(),
    ): Promise<Result<ShortLinkResults, 'forbidden' | 'not-found'>> {
      if (!mayAsk(actor, calls.look)) return fail('forbidden')
      const link = await shortLinks.get(actor, id)
      if (!link.ok) return link
      const zone = (await readSite(db, actor.siteId))?.timeZone ?? 'UTC'
      const from = dayAfter(dayIn(zone, nowMs), 1 - days)
      const since = await beginOf(db, { from, zone })
      const addresses = link.value.slugs.map(({ address }) => address)
      const [byDay, hours, ofDay, sources, history, visitors, placements] = await Promise.all([
        clicksByDay(db, id, { from: dayAfter(from, -days), zone }),
        clicksByHour(db, id, new Date(Math.floor(nowMs / HOUR_MS) * HOUR_MS - (HOURS - 1) * HOUR_MS)),
        clicksByHourOfDay(db, id, { from, zone }),
        clicksBySource(db, id, from, SOURCES_MAX),
        shortLinks.history(actor, id),
        visitorsSince(db, id, from),
        // Which pages there are is for those who may read pages.
        actor.can('pages:read')
          ? followedLinks(db, actor.siteId, { since, to: [link.value.address, ...addresses], limit: PLACES_MAX })
          : [],
      ])
      const people = new Map<string, number>()
      const others = new Map<string, number>()
      const bots = new Map<string, number>()
      for (const { day, visit, clicks } of byDay) {
        const into = visit === 'person' ? people : others
        into.set(day, (into.get(day) ?? 0) + clicks)
        if (visit !== 'person' && day >= from) bots.set(visit, (bots.get(visit) ?? 0) + clicks)
      }
      const list = Array.from({ length: days }, (_, i) => {
        const day = dayAfter(from, i)
        return { day, people: people.get(day) ?? 0, others: others.get(day) ?? 0, before: people.get(dayAfter(day, -days)) ?? 0 }
      })
      const sum = (of: 'people' | 'others' | 'before'): number => list.reduce((all, each) => all + each[of], 0)
      const named = (kind: string) => sources.filter((each) => each.kind === kind).map(({ value, clicks }) => ({ value, clicks }))
      const split = await splitOf(actor, id, link.value.destination, link.value.course.split, { from, zone })
      return ok({
        zone,
        days: list,
        hours: hoursOf(hours, nowMs),
        byHour: Array.from({ length: 24 }, (_, hour) => ofDay.find((each) => each.hour === hour)?.clicks ?? 0),
        total: { people: sum('people'), others: sum('others'), before: sum('before'), visitors },
        placements: placements.map(({ host, path, nth, people: clicks }) => ({ host, path, nth, people: clicks })),
        bots: [...bots].map(([visit, clicks]) => ({ visit, clicks })),
        referrers: named('referrer'),
        devices: named('device'),
        languages: named('language'),
        split,
        verdict: split === null ? '' : verdictOn(split),
        changes: history.ok ? changesIn(history.value.items, from) : [],
      })
    },
  }

  async function splitOf(
    actor: Actor,
    id: string,
    main: string,
    split: ShortLinkCourse['split'],
    stretch: Stretch,
  ): Promise<ShortLinkResults['split']> {
    if (split === null) return null
    const clicks = new Map((await clicksByVariant(db, id, stretch)).map((each) => [each.variant, each.clicks]))
    const places = placesOf(main, split, clicks)
    // What partners reported is for those who may see partners.
    const canSee = actor.can('partners:read')
    const destinations = places.map(({ to }) => to)
    const subs = canSee ? await subsOfDestinations(db, actor.siteId, destinations) : []
    const named = subs.map(({ sub }) => sub)
    const orders = new Map((await ordersOfSubs(db, actor.siteId, named, stretch.from)).map((each) => [each.sub, each.orders]))
    const all = [...clicks.values()].reduce((sum, each) => sum + each, 0)
    return places.map(({ to, weight, clicks: own }) => {
      const sold = subs.filter(({ destination }) => destination === to).reduce((sum, { sub }) => sum + (orders.get(sub) ?? 0), 0)
      return { to, weight, clicks: own, share: shareOf(own, all), orders: canSee ? sold : null, earns: shareOf(Math.min(sold, own), own) }
    })
  }
}

/** The destinations of a split, each once: an order is told by where it was made, so that of two shares with one destination none has it alone. */
function placesOf(
  main: string,
  split: NonNullable<ShortLinkCourse['split']>,
  clicks: ReadonlyMap<number, number>,
): { to: string; weight: number; clicks: number }[] {
  const places = new Map<string, { to: string; weight: number; clicks: number }>()
  for (const [variant, { to, weight }] of [{ to: main, weight: split.main }, ...split.others].entries()) {
    const before = places.get(to) ?? { to, weight: 0, clicks: 0 }
    places.set(to, { to, weight: before.weight + weight, clicks: before.clicks + (clicks.get(variant) ?? 0) })
  }
  return [...places.values()]
}

function hoursOf(found: readonly { hour: Date; visit: string; clicks: number }[], nowMs: number): ShortLinkResults['hours'] {
  const first = Math.floor(nowMs / HOUR_MS) * HOUR_MS - (HOURS - 1) * HOUR_MS
  const list = Array.from({ length: HOURS }, (_, i) => ({ hour: new Date(first + i * HOUR_MS).toISOString(), people: 0, others: 0 }))
  for (const { hour, visit, clicks } of found) {
    const at = list[(hour.getTime() - first) / HOUR_MS]
    if (at !== undefined) at[visit === 'person' ? 'people' : 'others'] += clicks
  }
  return list
}

/** What a split has shown, and how sure that is. */
function verdictOn(split: NonNullable<ShortLinkResults['split']>): Said {
  const orders = split.reduce((sum, each) => sum + (each.orders ?? 0), 0)
  if (split.every(({ clicks }) => clicks === 0)) return tell('results.nobody')
  if (split.some((each) => each.orders === null)) return tell('results.orders-tell')
  if (orders < ORDERS_LEAST) return tell('results.too-few', { orders })
  const best = surelyBest(split.map(({ earns }) => earns))
  return best === null ? tell('results.not-yet') : tell('results.better', { which: best + 1 })
}

/** What was done with a link in a stretch, by versions one after the other. @param versions - newest first */
function changesIn(
  versions: readonly { at: string; destination: string; course: ShortLinkCourse }[],
  from: string,
): ShortLinkResults['changes'] {
  return versions.flatMap((each, i) => {
    const day = each.at.slice(0, 10)
    const before = versions[i + 1]
    if (day < from) return []
    if (before === undefined) return [{ day, words: tell('results.made') }]
    if (before.destination !== each.destination) return [{ day, words: tell('results.led-to', { destination: each.destination }) }]
    return JSON.stringify(before.course) === JSON.stringify(each.course) ? [] : [{ day, words: tell('results.course-changed') }]
  })
}
