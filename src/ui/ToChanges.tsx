import type { StepKind } from '../contract/steps.ts'

/** The way to the list of what was changed in steps, begun with those of one kind. */
export const ToChanges = ({ kind }: { kind: StepKind }) => (
  <a className="button button-plain" href={`/changes?kind=${kind}`}>
    Changes made
  </a>
)
