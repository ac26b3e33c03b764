import type { ImpactAnswer } from '../../contract/rules.ts'
import { opensNewTab, relTokens, strandOf } from '../../core/rules/index.ts'
import { Rope } from '../../ui/Rope.tsx'
import { Tag } from '../../ui/Tag.tsx'

interface ImpactPaneProps {
  isChanged: boolean
  isUnfinished: boolean
  isLooking: boolean
  impact: ImpactAnswer | null
  error: string | null
}

/** How many links on how many pages would change, by kind of change, with the tag before and after. */
export function ImpactPane({ isChanged, isUnfinished, isLooking, impact, error }: ImpactPaneProps) {
  return (
    <section className="sheet overflow-hidden">
      <header className="border-b px-4 py-3">
        <h2 className="text-[18px]">What would change</h2>
        <p aria-live="polite" className="mt-0.5" data-testid="impact">
          {!isChanged ? (
            <span className="text-ink-soft">Change a rule, and see here what it does before you save it.</span>
          ) : error !== null ? (
            <span className="text-red">{error}</span>
          ) : impact === null || isLooking ? (
            <span className="text-ink-soft">Looking at every link…</span>
          ) : impact.links === 0 ? (
            <>Nothing: all {impact.looked} links stay as they are.</>
          ) : (
            <>
              <b>
                {impact.links} {impact.links === 1 ? 'link' : 'links'} on {impact.pages} {impact.pages === 1 ? 'page' : 'pages'}
              </b>{' '}
              <span className="text-ink-soft">of {impact.looked} links</span>
            </>
          )}
        </p>
        {isUnfinished && (
          <p className="note mt-1">A rule that does nothing yet is left out. Choose how its links open, or what search engines are told.</p>
        )}
      </header>
      {isChanged && impact !== null && impact.groups.length > 0 && (
        <ul
          className={`max-h-[56dvh] divide-y overflow-y-auto transition-opacity ${isLooking ? 'opacity-50' : ''}`}
          tabIndex={0}
          aria-label="Kinds of change"
        >
          {impact.groups.map((group) => (
            <li key={JSON.stringify([group.before, group.after])} className="grid gap-2 px-4 py-3">
              <div className="flex items-center gap-2">
                <MarksRope marks={group.before} />
                <span aria-hidden="true" className="text-ink-soft">
                  →
                </span>
                <MarksRope marks={group.after} />
                <b className="ml-auto whitespace-nowrap">
                  {group.links} {group.links === 1 ? 'link' : 'links'}
                </b>
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

function MarksRope({ marks }: { marks: { rel: string | null; target: string | null } }) {
  return (
    <Rope
      strand={strandOf(relTokens(marks.rel))}
      end={{ opens: opensNewTab(marks.target) ? 'new tab' : 'same tab', lands: null }}
      width={96}
    />
  )
}
