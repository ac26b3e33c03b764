import { useState } from 'react'
import type { ShownExample } from '../../core/placements/index.ts'
import { type Impact, opensNewTab, type Rule, relTokens, strandOf } from '../../core/rules/index.ts'
import { Either } from '../../ui/Either.tsx'
import { Rope } from '../../ui/Rope.tsx'
import { Tag } from '../../ui/Tag.tsx'

interface ImpactPaneProps {
  isChanged: boolean
  isUnfinished: boolean
  isLooking: boolean
  impact: Impact<ShownExample> | null
  error: string | null
  /** The rule that is open, with its name. */
  open: Rule | null
}

const links = (count: number): string => `${count} ${count === 1 ? 'link' : 'links'}`

/** How many links on how many pages would change, by kind of change, by page and by site, with the tag before and after. */
export function ImpactPane({ isChanged, isUnfinished, isLooking, impact, error, open }: ImpactPaneProps) {
  const [by, setBy] = useState<'kind' | 'page' | 'site'>('kind')
  const share = impact?.rules.find(({ id }) => id === open?.id)
  return (
    <section className="sheet overflow-hidden">
      <header className="border-b px-4 py-3">
        <h2 className="text-[18px]">What would change</h2>
        <p aria-live="polite" className="mt-0.5" data-testid="impact" data-looking={isLooking}>
          {error !== null ? (
            <span className="text-red">{error}</span>
          ) : !isChanged ? (
            <span className="text-ink-soft">Change a rule, and see here what it does before you save it.</span>
          ) : impact === null || isLooking ? (
            <span className="text-ink-soft">Looking at every link…</span>
          ) : impact.links === 0 ? (
            <>Nothing: all {impact.looked} links stay as they are.</>
          ) : (
            <>
              <b>
                {links(impact.links)} on {impact.pages} {impact.pages === 1 ? 'page' : 'pages'}
              </b>{' '}
              <span className="text-ink-soft">of {impact.looked} links</span>
            </>
          )}
        </p>
        {isUnfinished && <p className="note mt-1">A rule that is not finished is left out: choose what it means, and what it does.</p>}
        {share !== undefined && open !== null && (
          <div className="mt-2 border-t pt-2 text-[14px]">
            <p>
              <b>{open.name === '' ? 'This rule' : open.name}</b> means {links(share.means)} and decides something for {share.decides}.
            </p>
            {share.instead.map(({ reason, links: count }) => (
              <p key={reason.by === 'rule' ? reason.id : reason.by} className="text-ink-soft">
                For {count} of them{' '}
                {reason.by === 'rule'
                  ? `rule ${reason.number}, ${reason.name},`
                  : reason.by === 'hand'
                    ? 'a hand'
                    : reason.by === 'sponsor'
                      ? 'a page written for a partner'
                      : reason.by === 'lowest'
                        ? 'what holds below the rules'
                        : 'the queue'}{' '}
                decides instead.
              </p>
            ))}
          </div>
        )}
        {isChanged && impact !== null && impact.links > 0 && (
          <div className="mt-2.5">
            <Either
              label="Count the changes"
              value={by}
              options={[
                ['kind', 'By kind'],
                ['page', 'By page'],
                ['site', 'By site'],
              ]}
              onChange={setBy}
            />
          </div>
        )}
      </header>
      {isChanged && impact !== null && impact.links > 0 && by !== 'kind' && (
        <ul
          className={`max-h-[52dvh] overflow-y-auto py-1 ${isLooking ? 'opacity-50' : ''}`}
          tabIndex={0}
          aria-label={by === 'page' ? 'Pages' : 'Sites'}
        >
          {(by === 'page' ? impact.byPage : impact.bySite).map(({ name, links: count }) => (
            <li key={name} className="flex items-baseline gap-3 px-4 py-1">
              <span className="address min-w-0 flex-1 truncate">{name}</span>
              <span className="tabular-nums">{count}</span>
            </li>
          ))}
        </ul>
      )}
      {isChanged && impact !== null && impact.groups.length > 0 && by === 'kind' && (
        <ul
          className={`max-h-[52dvh] divide-y overflow-y-auto transition-opacity ${isLooking ? 'opacity-50' : ''}`}
          tabIndex={0}
          aria-label="Kinds of change"
        >
          {impact.groups.map((group) => (
            <li key={JSON.stringify([group.before, group.after, group.examples[0]?.tagAfter])} className="grid gap-2 px-4 py-3">
              <div className="flex items-center gap-2">
                <MarksRope marks={group.before} />
                <span aria-hidden="true" className="text-ink-soft">
                  →
                </span>
                <MarksRope marks={group.after} />
                <b className="ml-auto whitespace-nowrap">{links(group.links)}</b>
              </div>
              {group.examples.slice(0, 1).map((example) => (
                <div key={example.tagBefore + example.page} className="grid gap-1.5">
                  <p className="note">
                    “{example.text}” on <a href={`/pages/${example.pageId}`}>{example.page}</a>
                  </p>
                  <Tag tag={example.tagBefore} />
                  <Tag tag={example.tagAfter} before={example.tagBefore} />
                </div>
              ))}
            </li>
          ))}
        </ul>
      )}
    </section>
  )
}

function MarksRope({ marks }: { marks: { readonly rel: string | null; readonly target: string | null } }) {
  return (
    <Rope
      strand={strandOf(relTokens(marks.rel))}
      end={{ opens: opensNewTab(marks.target) ? 'new tab' : 'same tab', lands: null }}
      width={96}
    />
  )
}
