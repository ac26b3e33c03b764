import { type Decision, type HandAnswers, type Hint, hintsOf, opensNewTab, type Reason, relTokens } from '../../../core/rules/index.ts'

const TOLD: readonly { readonly words: string; readonly plain: string; readonly hints: readonly Hint[] }[] = [
  { words: 'We vouch for it', plain: 'an ordinary link', hints: [] },
  { words: 'We don’t vouch', plain: 'nofollow', hints: ['nofollow'] },
  { words: 'It is paid', plain: 'sponsored, nofollow', hints: ['sponsored', 'nofollow'] },
  { words: 'A visitor wrote it', plain: 'ugc, nofollow', hints: ['ugc', 'nofollow'] },
]

/** Which of the four answers a `rel` comes down to. */
function toldBy(rel: string | null): number {
  const hints = hintsOf(relTokens(rel))
  if (hints.includes('sponsored')) return 2
  if (hints.includes('ugc')) return 3
  return hints.includes('nofollow') ? 1 : 0
}

/** The two plain questions. The answers come from the rules unless a person gives one; each says because of whom. */
export function Questions({
  decision,
  answers,
  isReadOnly,
  waits = false,
  onAnswer,
}: {
  decision: Decision
  answers: HandAnswers
  isReadOnly: boolean
  /** An editor looks at the link first, and the rules decide then. */
  waits?: boolean
  onAnswer: (answers: HandAnswers) => void
}) {
  const isNewTab = opensNewTab(decision.target)
  const told = toldBy(decision.rel)
  return (
    <>
      <Question
        title="How does it open?"
        reason={decision.because.opens}
        onRules={answers.opens === undefined || isReadOnly ? null : () => onAnswer({ ...answers, opens: undefined })}
      >
        <Option
          words="Same tab"
          plain="readers leave this page"
          isOn={!isNewTab}
          isOff={isReadOnly}
          onClick={() => onAnswer({ ...answers, opens: 'same tab' })}
        />
        <Option
          words="New tab"
          plain="this page stays open"
          isOn={isNewTab}
          isOff={isReadOnly}
          onClick={() => onAnswer({ ...answers, opens: 'new tab' })}
        />
      </Question>
      {waits ? (
        <section>
          <h3 className="mb-1.5 font-text text-[16px] font-semibold">What are search engines told?</h3>
          <p className="sheet px-3 py-2 text-[14px]">
            An editor looks at this link first. Until then it goes out as a visitor’s (<code>ugc nofollow</code>); once it is accepted, the
            site’s rules decide.
          </p>
        </section>
      ) : (
        <Question
          title="What are search engines told?"
          reason={decision.because.hints}
          onRules={answers.hints === undefined || isReadOnly ? null : () => onAnswer({ ...answers, hints: undefined })}
        >
          {TOLD.map(({ words, plain, hints }, i) => (
            <Option
              key={words}
              words={words}
              plain={plain}
              isOn={told === i}
              isOff={isReadOnly}
              onClick={() => onAnswer({ ...answers, hints })}
            />
          ))}
        </Question>
      )}
    </>
  )
}

/** Only of links to files: readers open them in the browser, or download them (HTML, the `download` attribute). */
export function FileQuestion({
  downloads,
  isReadOnly,
  onAnswer,
}: {
  downloads: boolean
  isReadOnly: boolean
  onAnswer: (downloads: boolean) => void
}) {
  return (
    <fieldset>
      <legend className="mb-1.5 font-semibold">What do readers do with the file?</legend>
      <div className="grid grid-cols-2 gap-2">
        <Option words="Open it" plain="in their browser" isOn={!downloads} isOff={isReadOnly} onClick={() => onAnswer(false)} />
        <Option words="Download it" plain="to their computer" isOn={downloads} isOff={isReadOnly} onClick={() => onAnswer(true)} />
      </div>
    </fieldset>
  )
}

function Question({
  title,
  reason,
  onRules,
  children,
}: {
  title: string
  reason: Reason
  onRules: (() => void) | null
  children: React.ReactNode
}) {
  return (
    <fieldset>
      <legend className="mb-1.5 font-semibold">{title}</legend>
      <div className="grid grid-cols-2 gap-2">{children}</div>
      <p className="note mt-1.5">
        {reason.by === 'rule' ? (
          <>
            because of rule {reason.number} <b className="font-semibold text-ink">{reason.name}</b>
          </>
        ) : reason.by === 'hand' ? (
          'because you set it by hand'
        ) : reason.by === 'sponsor' ? (
          <>
            because this page is written for <b className="font-semibold text-ink">{reason.name}</b>
          </>
        ) : reason.by === 'queue' ? (
          'because it waits for an editor to look at it'
        ) : (
          'no rule speaks of it: as it was written'
        )}
        {onRules !== null && (
          <>
            {' · '}
            <button type="button" className="underline underline-offset-3" onClick={onRules}>
              leave it to the rules
            </button>
          </>
        )}
      </p>
    </fieldset>
  )
}

function Option({
  words,
  plain,
  isOn,
  isOff,
  onClick,
}: {
  words: string
  plain: string
  isOn: boolean
  isOff: boolean
  onClick: () => void
}) {
  return (
    <button
      type="button"
      aria-pressed={isOn}
      disabled={isOff && !isOn}
      className="sheet px-2.5 py-1.5 text-left leading-snug"
      style={isOn ? { borderColor: 'var(--ink)', boxShadow: 'inset 0 0 0 1px var(--ink)' } : {}}
      onClick={onClick}
    >
      {words}
      <span className="note block">{plain}</span>
    </button>
  )
}
