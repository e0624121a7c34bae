import { CheckCircleIcon } from '@heroicons/react/20/solid';
import { useQuery } from '@tanstack/react-query';
import type { Countries, Draft, Log, Replay } from '@jadefence/contract';
import { Link } from 'react-router';
import { countriesQuery, draftQuery, logsQuery, replaysQuery } from '../../api/queries.js';
import { Card } from '../../components/layout.js';

interface FirstStep {
  readonly title: string;
  readonly text: string;
  readonly to: string;
  readonly isDone: boolean;
}

/** The way from an empty service to the first published rules; it is gone when it is finished. */
export function FirstSteps() {
  const draft = useQuery(draftQuery).data;
  const countries = useQuery(countriesQuery(undefined)).data;
  const logs = useQuery(logsQuery()).data;
  const replays = useQuery(replaysQuery()).data;
  if (!draft || !countries || !logs || !replays) return null;
  const steps = stepsOf({ draft, countries, logs, replays });
  const next = steps.find(({ isDone }) => !isDone);
  if (!next) return null;
  return (
    <Card
      title="First steps"
      aside={
        <span className="text-sm text-muted">
          {steps.filter(({ isDone }) => isDone).length} of {steps.length} done
        </span>
      }
    >
      <ol className="grid gap-1 p-4 text-sm">
        {steps.map((step, index) => (
          <li key={step.title} className="flex items-center gap-3">
            {step.isDone ? (
              <CheckCircleIcon aria-label="done" className="size-6 shrink-0 text-allowed" />
            ) : (
              <span
                aria-hidden
                className={`grid size-6 shrink-0 place-items-center rounded-full text-xs font-semibold ${step === next ? 'bg-jade text-on-jade' : 'bg-sunken text-muted'}`}
              >
                {index + 1}
              </span>
            )}
            <span className={step.isDone ? 'text-muted' : ''}>
              <Link to={step.to} className="font-medium underline decoration-dotted underline-offset-4">
                {step.title}
              </Link>{' '}
              <span className="text-muted">{step.text}</span>
            </span>
          </li>
        ))}
      </ol>
    </Card>
  );
}

interface Present {
  readonly draft: Draft;
  readonly countries: Countries;
  readonly logs: readonly Log[];
  readonly replays: readonly Replay[];
}

function stepsOf({ draft, countries, logs, replays }: Present): FirstStep[] {
  const attached = new Set(draft.gates.flatMap(({ fences }) => fences));
  return [
    {
      title: 'Import a country table',
      text: 'so that rules can name countries',
      to: '/countries',
      isDone: countries.table !== null,
    },
    {
      title: 'Upload a log',
      text: 'of the requests that your rules are for; its hosts and clients are then suggested',
      to: '/logs',
      isDone: logs.length > 0,
    },
    {
      title: 'Create a gate',
      text: 'with the hosts that it protects, or the clients that go out through it',
      to: '/gates',
      isDone: draft.gates.length > 0,
    },
    {
      title: 'Create a list',
      text: 'of addresses, countries or domains that rules name together',
      to: '/lists',
      isDone: draft.lists.length > 0,
    },
    {
      title: 'Write a rule',
      text: 'in a fence that is at the gate; begin from a template',
      to: '/fences',
      isDone: draft.fences.some(({ name, rules }) => rules.length > 0 && attached.has(name)),
    },
    {
      title: 'Replay the log',
      text: 'and see what the rules stop, and why',
      to: '/logs',
      isDone: replays.some(({ state }) => state === 'done'),
    },
    {
      title: 'Publish',
      text: 'the draft as revision 1',
      to: '/revisions',
      isDone: draft.published !== null,
    },
  ];
}
