import { ExclamationTriangleIcon, InformationCircleIcon, XCircleIcon } from '@heroicons/react/20/solid';
import type { Edit } from '@jadefence/contract';
import { Link } from 'react-router';
import { Button } from '../../components/button.js';
import { ExampleRequest } from '../../components/example-request.js';

export type Level = 'error' | 'warning' | 'note';

const LEVELS = {
  error: { Icon: XCircleIcon, style: 'text-blocked' },
  warning: { Icon: ExclamationTriangleIcon, style: 'text-limited' },
  note: { Icon: InformationCircleIcon, style: 'text-muted' },
} as const;

export function LevelIcon({ level }: { level: Level }) {
  const { Icon, style } = LEVELS[level];
  return <Icon aria-label={level} className={`mt-0.5 size-4 shrink-0 ${style}`} />;
}

/** Something that is probably wrong, as lists of such show it. */
export interface ShownFinding {
  readonly key: string;
  readonly id?: string;
  readonly level: Level;
  readonly message: string;
  readonly hint?: string;
  readonly evidence?: readonly string[];
  /** A request that shows it. */
  readonly example?: Readonly<Record<string, unknown>>;
  /** Of a rule: `fence/rule`. */
  readonly rule?: string;
  readonly fix?: readonly Edit[];
}

/** @param isWhole with what it was concluded from, and a request that shows it */
export function FindingList({
  findings,
  isWhole = false,
  isBusy,
  onFix,
}: {
  findings: readonly ShownFinding[];
  isWhole?: boolean;
  isBusy: boolean;
  onFix: (edits: readonly Edit[]) => void;
}) {
  return (
    <ul className="grid gap-2 p-4 text-sm">
      {findings.map(({ key, level, message, hint, evidence = [], example, rule, fix }) => (
        <li key={key} className="flex gap-2">
          <LevelIcon level={level} />
          <div className="min-w-0 grow wrap-anywhere">
            {message} <span className="text-muted">{hint}</span>
            {isWhole && evidence.map((line) => <p key={line}>{line}</p>)}
            {isWhole && example && <ExampleRequest request={example} />}
          </div>
          {isWhole && rule !== undefined && (
            <Link
              to={`/fences?${new URLSearchParams({ text: rule.split('/')[1]! })}`}
              className="self-start text-jade underline underline-offset-4"
              aria-label={`Show the rule ${rule}`}
            >
              Show
            </Link>
          )}
          {fix && (
            <Button size="small" className="self-start" disabled={isBusy} onClick={() => onFix(fix)}>
              {fix.every(({ kind }) => kind.startsWith('remove')) ? 'Delete' : 'Fix'}
            </Button>
          )}
        </li>
      ))}
    </ul>
  );
}
