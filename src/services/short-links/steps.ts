import { randomUUID } from 'node:crypto'
import { mayAsk } from '../../contract/operation.ts'
import {
  type CampaignMade,
  type CampaignNew,
  shortLinkSteps as calls,
  type ShortLinkStepChange,
  type ShortLinkStepDone,
  type ShortLinkStepNew,
  type ShortLinkStepUndone,
  type UtmValues,
} from '../../contract/short-link-steps.ts'
import type { ShortLink } from '../../contract/short-links.ts'
import type { AddressFault } from '../../core/address/index.ts'
import { fail, ok, type Result } from '../../core/result.ts'
import type { SiteGround } from '../../core/rules/index.ts'
import { type SlugFault, tidySlug } from '../../core/slugs/index.ts'
import { withUtm } from '../../core/utm/index.ts'
import { takenSlugs } from '../../data/short-link-slugs.ts'
import {
  barredLinks,
  changeLinks,
  countUtmValues,
  insertShortLinkStep,
  linksForStep,
  type SteppableLink,
  type SteppedLink,
  takeShortLinkStep,
  utmValues,
} from '../../data/short-link-steps.ts'
import { insertShortLink, returnShortLink, withdrawShortLink } from '../../data/short-links.ts'
import { isTold, type Told, tell } from '../../words/index.ts'
import { type Actor, type Context, type SiteViews, write, writeAudit } from '../context.ts'
import { freeSlugs, mendDestination, shortHost, takeSlugs, wantedSlugs } from './look-up.ts'
import type { shortLinksService } from './short-links.ts'

/** Links shown of a step before it is done. */
const SHOWN = 200
const UTM_VALUES_MAX = 300

type After = Pick<SteppableLink, 'destination' | 'status' | 'tags'>

/** Many short links changed or made together, and taken back together. */
export function shortLinkStepsService({ db }: Context, views: SiteViews, shortLinks: ReturnType<typeof shortLinksService>) {
  return {
    /** Changes links that were chosen. What cannot be done to one of them does not stop the others. */
    async create(actor: Actor, { ids, change, dryRun = false }: ShortLinkStepNew): Promise<Result<ShortLinkStepDone, 'forbidden'>> {
      if (!mayAsk(actor, calls.create)) return fail('forbidden')
      const view = await views.of(actor)
      const { siteId, personId } = actor
      return write(db, async (transaction, changes) => {
        const links = await linksForStep(db, siteId, ids, transaction)
        const refused: ShortLinkStepDone['refused'] = []
        const planned: { link: SteppableLink; after: After }[] = []
        for (const link of links) {
          const after = afterChange(view, link, change)
          if (isTold(after)) refused.push({ slug: link.slug, why: after })
          else if (change.isRemoved === true || wordsOf(after) !== wordsOf(link)) planned.push({ link, after })
        }
        const items = planned.slice(0, SHOWN).map(({ link, after }) => ({
          slug: link.slug,
          ...(change.isRemoved === true ? { before: link.destination, after: tell('short-link.removed') } : differing(link, after)),
        }))
        if (dryRun || planned.length === 0) return ok({ step: null, changed: planned.length, refused, items })
        const done: SteppedLink[] = []
        if (change.isRemoved === true) {
          for (const { link } of planned) {
            if (!(await withdrawShortLink(db, siteId, link.id, transaction))) continue
            done.push({ id: link.id, version: link.version, before: null, isRemoved: true })
            changes.add(siteId, 'short-links', link.id, 'removed')
          }
        } else {
          const wanted = planned.map(({ link: { id, version }, after }) => ({ id, version, ...after }))
          const changed = await changeLinks(db, { siteId, personId }, wanted, transaction)
          for (const { link } of planned) {
            if (!changed.has(link.id)) continue
            const { destination, status, tags } = link
            done.push({ id: link.id, version: link.version + 1, before: { destination, status, tags }, isRemoved: false })
          }
          changes.add(siteId, 'short-links', [...changed], 'changed')
        }
        const step = randomUUID()
        await insertShortLinkStep(db, { id: step, siteId, personId, what: Object.keys(change).join(' '), links: done }, transaction)
        await writeAudit(db, actor, 'short-links:step', step, { links: done.length }, transaction)
        return ok({ step, changed: done.length, refused, items })
      })
    },

    /** Takes a step back: links are as they were before it, but for those that were changed again since. */
    async undo(actor: Actor, id: string): Promise<Result<ShortLinkStepUndone, 'forbidden' | 'not-found'>> {
      if (!mayAsk(actor, calls.undo)) return fail('forbidden')
      const { siteId, personId } = actor
      return write(db, async (transaction, changes) => {
        const links = await takeShortLinkStep(db, siteId, id, transaction)
        if (links === null) return fail('not-found')
        let back = 0
        const changed = links.flatMap(({ id: link, version, before }) => (before === null ? [] : [{ id: link, version, ...before }]))
        const said = changed.length === 0 ? new Set<string>() : await changeLinks(db, { siteId, personId }, changed, transaction)
        changes.add(siteId, 'short-links', [...said], 'changed')
        back += said.size
        const whole = links.filter(({ before }) => before === null)
        const ids = whole.map(({ id: link }) => link)
        const barred = await barredLinks(db, ids, transaction)
        const standing = new Map((await linksForStep(db, siteId, ids, transaction)).map((link) => [link.id, link.version]))
        for (const { id: link, version, isRemoved } of whole) {
          // One that was made and changed since is somebody's work by now.
          if (isRemoved ? barred.has(link) : standing.get(link) !== version) continue
          const isBack = isRemoved
            ? (await returnShortLink(db, siteId, link, transaction))?.[0]?.isTaken === false
            : await withdrawShortLink(db, siteId, link, transaction)
          if (!isBack) continue
          changes.add(siteId, 'short-links', link, isRemoved ? 'made' : 'removed')
          back++
        }
        await writeAudit(db, actor, 'short-links:undo-step', id, { links: back }, transaction)
        return ok({ back, left: links.length - back })
      })
    },

    /** Makes several links of one destination, one a channel: each with its own UTM parameters and slug, all with the campaign's tag. */
    async campaign(
      actor: Actor,
      { destination, name, host, channels }: CampaignNew,
    ): Promise<
      Result<
        CampaignMade,
        | AddressFault
        | SlugFault
        | 'forbidden'
        | 'not-found'
        | 'no-short-host'
        | 'address-not-outside'
        | 'slug-taken'
        | 'slug-hides-redirect'
        | 'slug-of-two'
      >
    > {
      if (!mayAsk(actor, calls.campaign)) return fail('forbidden')
      const view = await views.of(actor)
      const short = shortHost(view, host)
      if (short === null) return fail('no-short-host', { host: host ?? null })
      const mended = mendDestination(view, destination)
      if (!mended.ok) return mended
      const campaign = tidySlug(name) || 'campaign'
      const stem = (await freeSlugs(db, short.id, mended.value.address, name))[0]?.slug ?? campaign
      const named = channels.map(({ source, slug }) => slug?.trim().toLowerCase() || tidySlug(`${stem}-${source}`))
      const free = await numbered(
        short.id,
        named,
        channels.map(({ slug }) => (slug ?? '').trim() !== ''),
      )
      const slugs = wantedSlugs(
        view,
        free.map((slug) => ({ slug, host: short.host })),
      )
      if (!slugs.ok) return slugs
      const { siteId, personId } = actor
      const step = randomUUID()
      const made: string[] = []
      const saved = await write(db, async (transaction, changes) => {
        for (const [i, { source, medium }] of channels.entries()) {
          const slug = slugs.value[i]
          if (slug === undefined) continue
          const utm = { utm_source: source, utm_medium: medium, utm_campaign: campaign }
          const link = {
            ...{
              siteId,
              personId,
              hostId: short.id,
              slug: slug.slug,
              destination: withUtm(mended.value.address, utm),
              title: `${name}: ${source}`,
            },
            ...{ status: 302 as const, note: '', tags: [name.toLowerCase()], course: {} },
          }
          const id = await insertShortLink(db, link, transaction)
          const taken = await takeSlugs(db, siteId, id, [slug], transaction)
          if (!taken.ok) return taken
          await countUtmValues(
            db,
            siteId,
            Object.entries(utm).filter(([, value]) => value !== ''),
            transaction,
          )
          made.push(id)
        }
        changes.add(siteId, 'short-links', made, 'made')
        const links = made.map((id) => ({ id, version: 1, before: null, isRemoved: false }))
        await insertShortLinkStep(db, { id: step, siteId, personId, what: name, links }, transaction)
        await writeAudit(db, actor, 'short-links:campaign', step, { name, links: made.length }, transaction)
        return ok(null)
      })
      if (!saved.ok) return saved
      const items: ShortLink[] = []
      for (const id of made) {
        const link = await shortLinks.get(actor, id)
        if (link.ok) items.push(link.value)
      }
      return ok({ step, items })
    },

    async utmValues(actor: Actor): Promise<Result<UtmValues, 'forbidden'>> {
      if (!mayAsk(actor, calls.utmValues)) return fail('forbidden')
      return ok({ items: await utmValues(db, actor.siteId, UTM_VALUES_MAX) })
    },
  }

  /** Slugs that nobody has: those that were thought of get a number where somebody does; those that a person typed stay. */
  async function numbered(hostId: string, slugs: readonly string[], isTyped: readonly boolean[]): Promise<string[]> {
    const tried = slugs.flatMap((slug) => [slug, ...Array.from({ length: 8 }, (_, n) => `${slug}-${n + 2}`)])
    const taken = await takenSlugs(db, hostId, tried)
    const given = new Set<string>()
    return slugs.map((slug, i) => {
      const isFree = (each: string): boolean => !taken.has(each) && !given.has(each)
      const numbers = Array.from({ length: 8 }, (_, n) => `${slug}-${n + 2}`)
      const chosen = isTyped[i] === true || isFree(slug) ? slug : (numbers.find(isFree) ?? slug)
      given.add(chosen)
      return chosen
    })
  }
}

/** What a link says after a change; or why it cannot be. */
function afterChange(
  view: SiteGround,
  link: SteppableLink,
  { addTags = [], removeTags = [], status, replace }: ShortLinkStepChange,
): After | Told {
  const tags = [...new Set([...link.tags, ...addTags])].filter((tag) => !removeTags.includes(tag))
  const after = { destination: link.destination, status: status ?? link.status, tags }
  if (replace === undefined || !link.destination.includes(replace.from)) return after
  const mended = mendDestination(view, link.destination.replaceAll(replace.from, replace.to))
  return mended.ok ? { ...after, destination: mended.value.address } : tell('short-link.no-destination')
}

/** What a change makes different, before and after it. */
function differing(before: After, after: After): { before: Told; after: Told } {
  const parts = (of: After): Told =>
    tell('short-link.says', {
      destination: before.destination === after.destination ? null : of.destination,
      status: before.status === after.status ? null : of.status,
      tags: before.tags.join() === after.tags.join() ? null : of.tags,
    })
  return { before: parts(before), after: parts(after) }
}

const wordsOf = ({ destination, status, tags }: After): string =>
  `${destination} (${status}${tags.length > 0 ? `, ${tags.join(', ')}` : ''})`
