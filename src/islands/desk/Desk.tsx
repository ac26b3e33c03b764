import type { ReactNode } from 'react'
import type { Desk as DeskData } from '../../contract/desk.ts'
import { readableAddress } from '../../core/address/index.ts'
import type { Verdict } from '../../core/checks/index.ts'
import { PlacementRow } from '../../ui/PlacementRow.tsx'
import { Queries, useAsk } from '../../ui/query.tsx'
import { RopeLegend } from '../../ui/Rope.tsx'
import { When } from '../../ui/When.tsx'
import { type InWords, number } from '../../words/index.ts'
import { VERDICT_WORDS } from '../checks/words.ts'
import { FINDING_WORDS } from '../links/words.ts'
import { findingChip, HURTS } from '../redirects/words.ts'

interface DeskProps {
  initial: InWords<DeskData>
  canEditRules: boolean
  canImport: boolean
}

/** What costs visitors or earnings. */
const IS_GRAVE: ReadonlySet<Verdict> = new Set<Verdict>([
  'unreachable',
  'certificate',
  'goes-round',
  'missing',
  'soft-missing',
  'parked',
  'failing',
  'number-lost',
])

/** How often it is looked how far the links are read. */
const READING_MS = 1_500

/** What needs a hand today: a short ranked list, each with the one action that mends it. */
export function Desk(props: DeskProps) {
  return (
    <Queries>
      <DeskList {...props} />
    </Queries>
  )
}

function DeskList({ initial, canEditRules, canImport }: DeskProps) {
  const { data = initial } = useAsk(
    'desk.look',
    {},
    {
      initialData: initial,
      refetchInterval: ({ state }) => (state.data?.reading == null ? 60_000 : READING_MS),
    },
  )
  const { unmarked, unpublished } = data
  const others = data.findings.filter(({ finding }) => finding !== 'unmarked')
  const drafts = unpublished.pages.length + unpublished.morePages
  const isQuiet =
    data.reading === null &&
    data.setAside === 0 &&
    data.troubles.length === 0 &&
    data.pages > 0 &&
    unmarked.total === 0 &&
    drafts === 0 &&
    data.waiting === 0 &&
    data.hasRules
  return (
    <div className="mx-auto grid max-w-[940px] gap-5 px-5 py-8">
      <header className="flex flex-wrap items-baseline gap-x-4">
        <h1 className="text-[26px]">What needs a hand today</h1>
        <p className="text-ink-soft">
          {data.reading === null
            ? `${data.links} links on ${data.pages} pages`
            : `${data.pages} pages; their links are being read, ${number(data.reading)} so far`}
        </p>
      </header>
      {data.setAside > 0 && (
        <Matter title="Some of what visitors did could not be stored" action={null}>
          {number(data.setAside)} {data.setAside === 1 ? 'line' : 'lines'} of the log of clicks in the last 30 days: kept beside it, in
          set-aside.txt. Everything else is counted.
        </Matter>
      )}
      {data.troubles.length > 0 && (
        <Matter isBroken title="The disk takes no more clicks" action={null}>
          Since <When at={data.troubles[0]?.since ?? ''} /> the log of clicks cannot be written
          {data.troubles.length > 1 && ` on ${data.troubles.length} machines`}. Visitors are answered all the same; their clicks are held in
          memory and counted when there is room again. Make room on the disk, and do not restart the server before that.
        </Matter>
      )}
      {data.pages === 0 && (
        <Matter title="There are no pages yet" action={canImport ? { words: 'Bring in a site', href: '/pages?bring-in' } : null}>
          Bring in your site as a zip or a folder of HTML files. A dry run shows what would happen first.
        </Matter>
      )}
      {unmarked.total > 0 && (
        <Matter
          isBroken
          title={`${unmarked.total} paid ${unmarked.total === 1 ? 'link does' : 'links do'} not say so`}
          action={canEditRules ? { words: 'Mark them with a rule', href: '/rules?mark-partners' } : null}
        >
          They lead to partners’ sites, on {unmarked.pages} {unmarked.pages === 1 ? 'page' : 'pages'}, and search engines are not told that
          they are paid (<code>sponsored</code>): a rule or a hand says otherwise.
          <div className="mt-3 -mx-4 divide-y border-y" data-testid="unmarked">
            {unmarked.examples.map((placement) => (
              <PlacementRow
                key={`${placement.pageId} ${placement.start}`}
                placement={placement}
                href={`/pages/${placement.pageId}?link=${placement.start}`}
              />
            ))}
          </div>
          {unmarked.total > unmarked.examples.length && (
            <p className="note mt-2">
              <a href="/links?finding=unmarked">and {unmarked.total - unmarked.examples.length} more</a>
            </p>
          )}
        </Matter>
      )}
      {data.waiting > 0 && (
        <Matter
          title={`${data.waiting} ${data.waiting === 1 ? 'link waits' : 'links wait'} for an editor`}
          action={{ words: canEditRules ? 'Look at them' : 'See them', href: '/waiting' }}
        >
          Contributors linked outside. Until somebody accepts it, readers’ browsers get {data.waiting === 1 ? 'it' : 'each'} as a visitor’s
          link (<code>ugc nofollow</code>).
        </Matter>
      )}
      {data.seen.length > 0 && (
        <Matter title="Where links lead, something is amiss" action={{ words: 'See all links', href: '/links' }}>
          <ul className="mt-1 flex flex-wrap gap-2">
            {data.seen.map(({ verdict, destinations }) => (
              <li key={verdict}>
                <a href={`/links?verdict=${verdict}`} className={`chip no-underline ${IS_GRAVE.has(verdict) ? 'chip-red' : ''}`}>
                  <b className="font-semibold">{destinations}</b> {VERDICT_WORDS[verdict]}
                </a>
              </li>
            ))}
          </ul>
        </Matter>
      )}
      {others.length > 0 && (
        <Matter title="Links worth a second look" action={{ words: 'See all links', href: '/links' }}>
          <ul className="mt-1 flex flex-wrap gap-2">
            {others.map(({ finding, links }) => (
              <li key={finding}>
                <a
                  href={`/links?finding=${encodeURIComponent(finding)}`}
                  className={`chip no-underline ${FINDING_WORDS[finding].isGrave === true ? 'chip-red' : ''}`}
                >
                  <b className="font-semibold">{links}</b> {links === 1 ? FINDING_WORDS[finding].one : FINDING_WORDS[finding].many}
                </a>
              </li>
            ))}
          </ul>
        </Matter>
      )}
      {data.redirects !== null && data.redirects.rising.length > 0 && (
        <Matter title="More and more visitors ask in vain" action={{ words: 'Lead them somewhere', href: '/redirects' }}>
          {data.redirects.rising.map(({ path, week, weekBefore }) => (
            <span key={path} className="block">
              <span className="address">{readableAddress(path)}</span>{' '}
              <span className="note">
                {week} times this week, {weekBefore} the week before
              </span>
            </span>
          ))}
        </Matter>
      )}
      {data.redirects !== null && data.redirects.findings.length > 0 && (
        <Matter title="Redirects worth a second look" action={{ words: 'See all redirects', href: '/redirects' }}>
          <ul className="mt-1 flex flex-wrap gap-2">
            {data.redirects.findings.map(({ kind, rows }) => (
              <li key={kind}>
                <a href={`/redirects?review=${kind}`} className={`chip no-underline ${HURTS.has(kind) ? 'chip-red' : ''}`}>
                  <b className="font-semibold">{rows}</b> {findingChip(kind, rows)}
                </a>
              </li>
            ))}
          </ul>
        </Matter>
      )}
      {data.pages > 0 && !data.hasRules && (
        <Matter title="No rule says how links open" action={canEditRules ? { words: 'Write the first rule', href: '/rules' } : null}>
          One sentence can send every outside link to a new tab, on old pages and new.
        </Matter>
      )}
      {drafts > 0 && (
        <Matter
          title={`${drafts} ${drafts === 1 ? 'page differs' : 'pages differ'} from the live site`}
          action={{ words: `Open “${unpublished.pages[0]?.title ?? ''}”`, href: `/pages/${unpublished.pages[0]?.id ?? ''}` }}
        >
          {unpublished.pages.slice(0, 3).map((page) => (
            <span key={page.id} className="block">
              {page.title}{' '}
              <span className="note">
                {page.isNew ? 'new' : 'changed'}
                {page.by === null ? '' : ` by ${page.by}`}
              </span>
            </span>
          ))}
        </Matter>
      )}
      {isQuiet && (
        <p className="sheet px-5 py-8 text-center">All quiet. Every paid link says so, and readers see the newest of every page.</p>
      )}
      <nav aria-label="Everything else" className="flex flex-wrap items-baseline gap-x-5 gap-y-1.5 text-[15px]">
        <b className="font-semibold">Looking for</b>
        {ELSEWHERE.map(([words, href]) => (
          <a key={href} href={href}>
            {words}
          </a>
        ))}
      </nav>
      <RopeLegend />
    </div>
  )
}

/** What belongs to pages and rules, and has no stop of its own in the band. */
const ELSEWHERE = [
  ['Menus', '/menus'],
  ['Shared blocks', '/blocks'],
  ['Files', '/files'],
  ['Waiting links', '/waiting'],
  ['Front doors', '/settings#front-doors'],
  ['Publications', '/publications'],
  ['Changes made', '/changes'],
] as const

function Matter({
  title,
  action,
  isBroken = false,
  children,
}: {
  title: string
  action: { words: string; href: string } | null
  isBroken?: boolean
  children: ReactNode
}) {
  return (
    <section className="sheet overflow-hidden px-4 py-4">
      <header className="mb-1.5 flex flex-wrap items-center justify-between gap-3">
        <h2 className={`text-[18px] ${isBroken ? 'text-red' : ''}`}>{title}</h2>
        {action !== null && (
          <a className="button max-w-full" href={action.href}>
            <span className="truncate">{action.words}</span>
          </a>
        )}
      </header>
      <div className="text-[15px]">{children}</div>
    </section>
  )
}
