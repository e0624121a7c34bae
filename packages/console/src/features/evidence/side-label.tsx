import { describeDecider, type Side } from '@jadefence/core/replay';
import { OutcomeLabel } from '../../components/outcome.js';

/** The outcome of a request, and what decided it. */
export function SideLabel({ side }: { side: Side }) {
  return (
    <span className="inline-flex flex-wrap items-baseline gap-x-2">
      <OutcomeLabel outcome={side.outcome} />
      <span className="font-mono text-xs text-muted">
        {side.status !== undefined && `${side.status} `}
        {side.redirect !== undefined && `to ${side.redirect} `}
        {describeDecider(side)}
      </span>
    </span>
  );
}
