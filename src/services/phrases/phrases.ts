import { mayAsk, type Operation } from '../../contract/operation.ts'
import {
  phrases as calls,
  PHRASES_MAX,
  type Phrase,
  type PhraseIdeas,
  type PhraseList,
  type PhrasesMade,
  PhraseWeights,
} from '../../contract/phrases.ts'
import { type AddressFault, parseUrl, pathSpellings, repair } from '../../core/address/index.ts'
import { saysLittle } from '../../core/content/index.ts'
import { PHRASE_MAX_WORDS, wordsOf } from '../../core/phrases/index.ts'
import { fail, ok, type Result } from '../../core/result.ts'
import { titlesByPath } from '../../data/pages.ts'
import {
  allowPhrase,
  countPhrases,
  insertPhrases,
  listPhrases,
  type PhraseRow,
  readWeights,
  refusePhrase,
  removePhrase,
  updatePhrase,
  wordsOfLinks,
  writeWeights,
} from '../../data/phrases.ts'
import { type Told, tell } from '../../words/index.ts'
import type { visitsService } from '../addresses/index.ts'
import { type Actor, type Context, type SiteViews, write, writeAudit } from '../context.ts'
import { shortLinkAt } from '../short-links/index.ts'

const IDEAS_MAX = 12
/** A title is cut here: what follows is the site's name more often than not. */
const TITLE_PARTS = /\s+[|–—·:•-]\s+/

/** Phrases worth linking: words, and where they lead. */
export function phrasesService({ db }: Context, views: SiteViews, visits: ReturnType<typeof visitsService>) {
  return {
    async list(
      actor: Actor,
      { partnerId, limit }: { partnerId?: string | undefined; limit: number },
    ): Promise<Result<PhraseList, 'forbidden'>> {
      if (!mayAsk(actor, calls.list)) return fail('forbidden')
      const [items, total] = await Promise.all([
        listPhrases(db, actor.siteId, partnerId ?? null, limit),
        countPhrases(db, actor.siteId, partnerId ?? null),
      ])
      return ok({ items, total })
    },

    /** Adds phrases for one destination: a page of a partner's, a short link, or an inside page. */
    async create(
      actor: Actor,
      { destination, words, priority }: { destination: string; words: readonly string[]; priority: number },
    ): Promise<Result<PhrasesMade, AddressFault | 'forbidden' | 'phrases-too-many' | 'phrase-leads-nowhere'>> {
      if (!mayAsk(actor, calls.create)) return fail('forbidden')
      const view = await views.of(actor)
      const mended = repair(destination, view.around('/'))
      if (!mended.ok) return mended
      const { address, kind } = mended.value
      const links = view.partnerLinks
      const url = parseUrl(address)
      const short = kind === 'short link' && url !== null ? await shortLinkAt(db, view, url) : null
      const lands = short === null ? address : short.destination
      const recognised = links.recognise(lands, 'any')
      const partner = recognised?.partner ?? links.partnerOf(lands)
      if (kind === 'mail' || kind === 'phone' || (kind === 'outside' && partner === null)) return fail('phrase-leads-nowhere', { address })
      const refused: { words: string; reason: Told }[] = []
      const made = words.flatMap((each) => {
        const plain = each.replace(/\s+/g, ' ').trim()
        const count = wordsOf(plain).length
        const reason =
          count === 0
            ? tell('phrase.no-word')
            : count > PHRASE_MAX_WORDS
              ? tell('phrase.too-many-words', { most: PHRASE_MAX_WORDS })
              : saysLittle(plain)
                ? tell('phrase.leads-nowhere')
                : null
        if (reason !== null) refused.push({ words: each, reason })
        // A link that was pasted built is kept as the page that it leads to: it is built anew for each place.
        return reason === null
          ? [
              {
                words: plain,
                destination: short === null ? (recognised?.destination ?? address) : address,
                partnerId: partner?.id ?? null,
                priority,
              },
            ]
          : []
      })
      return write(db, async (transaction, changes) => {
        if ((await countPhrases(db, actor.siteId, null, transaction)) + made.length > PHRASES_MAX) return fail('phrases-too-many')
        const items = await insertPhrases(db, actor, made, transaction)
        const there = new Set(items.map((row) => row.words.toLowerCase()))
        for (const each of made)
          if (!there.has(each.words.toLowerCase())) refused.push({ words: each.words, reason: tell('phrase.there-already') })
        changes.add(
          actor.siteId,
          'phrases',
          items.map(({ id }) => id),
          'made',
        )
        await writeAudit(db, actor, 'phrases:create', null, { phrases: items.length, destination: address }, transaction)
        return ok({ items, refused })
      })
    },

    change(actor: Actor, id: string, priority: number): Promise<Result<Phrase, 'forbidden' | 'not-found'>> {
      return changed(actor, calls.change, id, 'changed', (transaction) => updatePhrase(db, actor.siteId, id, priority, transaction))
    },

    async remove(actor: Actor, id: string): Promise<Result<null, 'forbidden' | 'not-found'>> {
      const done = await changed(actor, calls.remove, id, 'removed', async (transaction) =>
        (await removePhrase(db, actor.siteId, id, transaction)) ? GONE : null,
      )
      return done.ok ? ok(null) : done
    },

    async refuse(actor: Actor, id: string, pageId: string | null): Promise<Result<null, 'forbidden' | 'not-found'>> {
      const done = await changed(actor, calls.refuse, id, 'changed', async (transaction) =>
        (await refusePhrase(db, actor.siteId, id, pageId, transaction)) ? GONE : null,
      )
      return done.ok ? ok(null) : done
    },

    async allow(actor: Actor, id: string): Promise<Result<null, 'forbidden' | 'not-found'>> {
      const done = await changed(actor, calls.allow, id, 'changed', async (transaction) =>
        (await allowPhrase(db, actor.siteId, id, transaction)) ? GONE : null,
      )
      return done.ok ? ok(null) : done
    },

    /** Words that a destination is known by already: of its title, and of the links that lead there. */
    async ideas(actor: Actor, destination: string): Promise<Result<PhraseIdeas, 'forbidden' | AddressFault>> {
      if (!mayAsk(actor, calls.ideas)) return fail('forbidden')
      const view = await views.of(actor)
      const mended = repair(destination, view.around('/'))
      if (!mended.ok) return mended
      const { address } = mended.value
      const found = new Map<string, { words: string; why: Told }>()
      const add = (words: string, why: Told): void => {
        const plain = words.replace(/\s+/g, ' ').trim()
        const count = wordsOf(plain).length
        if (count > 0 && count <= PHRASE_MAX_WORDS && !saysLittle(plain) && !found.has(plain.toLowerCase()))
          found.set(plain.toLowerCase(), { words: plain, why })
      }
      const spellings = address.startsWith('/') ? pathSpellings(address) : [address]
      for (const { words, links } of await wordsOfLinks(db, actor.siteId, spellings, IDEAS_MAX))
        add(words, tell('phrase.links-say-so', { links }))
      const title = address.startsWith('/')
        ? (await titlesByPath(db, actor.siteId)).find(({ path }) => spellings.includes(path))?.title
        : await visits.visit(actor, address).then((seen) => (seen.ok ? (seen.value.title ?? undefined) : undefined))
      for (const part of (title ?? '').split(TITLE_PARTS)) add(part, tell('phrase.title'))
      return ok({ items: [...found.values()].slice(0, IDEAS_MAX) })
    },

    async weights(actor: Actor): Promise<Result<PhraseWeights, 'forbidden'>> {
      if (!mayAsk(actor, calls.weights)) return fail('forbidden')
      return ok(PhraseWeights.parse(await readWeights(db, actor.siteId)))
    },

    async weigh(actor: Actor, weights: PhraseWeights): Promise<Result<PhraseWeights, 'forbidden'>> {
      if (!mayAsk(actor, calls.weigh)) return fail('forbidden')
      return write(db, async (transaction, changes) => {
        await writeWeights(db, actor.siteId, weights, transaction)
        changes.add(actor.siteId, 'phrases', actor.siteId, 'changed')
        await writeAudit(db, actor, 'phrases:weigh', null, weights, transaction)
        return ok(weights)
      })
    },
  }

  function changed(
    actor: Actor,
    asked: Pick<Operation, 'needs'>,
    id: string,
    what: 'changed' | 'removed',
    work: (transaction: Parameters<typeof updatePhrase>[4]) => Promise<PhraseRow | null>,
  ): Promise<Result<PhraseRow, 'forbidden' | 'not-found'>> {
    if (!mayAsk(actor, asked)) return Promise.resolve(fail('forbidden'))
    return write(db, async (transaction, changes) => {
      const row = await work(transaction)
      if (row === null) return fail('not-found')
      changes.add(actor.siteId, 'phrases', id, what)
      return ok(row)
    })
  }
}

/** Where nothing of the row is answered. */
const GONE: PhraseRow = { id: '', words: '', destination: '', partnerId: null, priority: 3, refused: 0, isRefusedEverywhere: false }
