import { describeSeen, type Explanation, type FenceStep, type RuleStep, type Shown } from '@jadefence/core/explain';
import type { ReactNode } from 'react';
import { formatTime, zoneName } from '../format.js';
import { OutcomeLabel } from './outcome.js';
import { StateBadge } from './state-badge.js';

/** A judgement step by step: the outcome first, then what was known, then every rule. */
export function ExplanationSteps({ explanation }: { explanation: Explanation }) {
  const { request, country, gate, fences, decision } = explanation;
  const requested = describeSeen(request);
  return (
    <>
      <div className="mt-4 rounded-xl bg-sunken p-4">
        <OutcomeLabel outcome={decision.outcome} />
        <p className="mt-1">{explanation.conclusion}</p>
        <p className="mt-1 text-sm text-muted">The client sees: {explanation.clientSees}</p>
      </div>
      <dl className="mt-4 grid grid-cols-[6rem_1fr] gap-x-3 gap-y-1 text-sm">
        <Fact name="request">
          <span className="font-mono break-all">{requested.text}</span>
          {requested.unknown && <span className="text-muted"> ({requested.unknown} unknown)</span>}
        </Fact>
        <Fact name="time">
          {formatTime(explanation.atUnixMs)} {zoneName()}
        </Fact>
        <Fact name="client">
          <span className="font-mono">
            <ShownValue value={request.client} />
          </span>
        </Fact>
        <Fact name="country">
          <ShownValue value={country.value} /> <span className="text-muted">({country.because})</span>
        </Fact>
        <Fact name="gate">
          {gate ? (
            <>
              {gate.name} <span className="text-muted">({gate.because})</span>
            </>
          ) : (
            'none'
          )}
        </Fact>
        {decision.tags.length > 0 && <Fact name="tags">{decision.tags.join(', ')}</Fact>}
        {decision.would.map(({ fence, rule, outcome }) => (
          <Fact key={`${fence}/${rule}`} name="in trial">
            {fence}
            {rule ? `/${rule}` : ''} would have been {outcome}
          </Fact>
        ))}
      </dl>
      {fences.map((fence) => (
        <Fence key={fence.fence} fence={fence} />
      ))}
    </>
  );
}

function Fact({ name, children }: { name: string; children: ReactNode }) {
  return (
    <>
      <dt className="text-muted">{name}</dt>
      <dd>{children}</dd>
    </>
  );
}

function ShownValue({ value }: { value: Shown }) {
  return value.kind === 'known' ? <>{value.text}</> : <em className="text-muted">({value.kind})</em>;
}

function Fence({ fence }: { fence: FenceStep }) {
  return (
    <section className="mt-6">
      <h3 className="flex items-center gap-2 font-semibold">
        {fence.fence} <StateBadge state={fence.mode} />
      </h3>
      <ol className="mt-2 border-l-2 border-line">
        {fence.rules.map((rule) => (
          <Rule key={rule.rule} step={rule} />
        ))}
      </ol>
      {fence.reachedEnd && <p className="mt-1 text-sm text-muted">No rule ended this fence.</p>}
    </section>
  );
}

const VERDICTS: Record<RuleStep['verdict'], { word: string; style: string }> = {
  'matched': { word: 'matched', style: 'text-jade font-semibold' },
  'not-matched': { word: 'not matched', style: 'text-muted' },
  'blind': { word: 'blind', style: 'text-limited font-semibold' },
  'expired': { word: 'expired', style: 'text-muted' },
  'out-of-hours': { word: 'not in its hours', style: 'text-muted' },
  'off': { word: 'off', style: 'text-muted' },
  'not-reached': { word: 'not reached', style: 'text-muted' },
};

function Rule({ step }: { step: RuleStep }) {
  const { word, style } = VERDICTS[step.verdict];
  return (
    <li className="py-1.5 pl-4 text-sm">
      <p className="flex flex-wrap items-center gap-x-2">
        <span className="font-mono">{step.rule}</span> <span className={style}>{word}</span>{' '}
        {step.isTrial && <StateBadge state="trial" />}
      </p>
      <p>{step.sentence}</p>
      {step.because.map(({ comparison, field, actual, through }) => (
        <p key={comparison} className="text-muted">
          tested <code className="font-mono text-xs">{comparison}</code>; the {field} is <ShownValue value={actual} />
          {through && ` (${through})`}
        </p>
      ))}
      {step.memory && <p className="text-muted">{step.memory}</p>}
    </li>
  );
}
