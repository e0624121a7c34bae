import { ExclamationTriangleIcon, InformationCircleIcon, XCircleIcon } from '@heroicons/react/20/solid';
import { useQuery } from '@tanstack/react-query';
import { useEdit } from '../../api/edit.js';
import { draftQuery, findingsQuery } from '../../api/queries.js';
import { Button } from '../../components/button.js';
import { Card } from '../../components/layout.js';
import { ErrorNotice } from '../../components/loaded.js';

const LEVELS = {
  error: { Icon: XCircleIcon, style: 'text-blocked' },
  warning: { Icon: ExclamationTriangleIcon, style: 'text-limited' },
  note: { Icon: InformationCircleIcon, style: 'text-muted' },
} as const;

interface Shown {
  readonly key: string;
  readonly level: keyof typeof LEVELS;
  readonly message: string;
  readonly hint?: string;
  readonly fix?: () => void;
}

/** What keeps the draft from judging, or what is probably wrong with it. */
export function FindingsCard() {
  const draft = useQuery(draftQuery).data;
  const findings = useQuery({ ...findingsQuery, enabled: draft?.diagnostics.length === 0 }).data;
  const edit = useEdit();
  if (!draft || draft.gates.length + draft.fences.length + draft.lists.length === 0) return null;
  const shown: Shown[] = [
    ...draft.diagnostics.map(({ message, hint, place }) => ({
      key: `${place.line}:${place.column} ${message}`,
      level: 'error' as const,
      message,
      hint,
    })),
    ...draft.warnings.map(({ message, hint }) => ({ key: message, level: 'warning' as const, message, hint })),
    ...(findings ?? []).map(({ id, subject, level, message, hint, fix }) => ({
      key: `${id} ${subject}`,
      level,
      message,
      hint,
      fix: fix && (() => edit.mutate(fix)),
    })),
  ];
  return (
    <Card title="Findings">
      {edit.error && <ErrorNotice error={edit.error} />}
      {shown.length === 0 ? (
        <p className="p-4 text-sm text-muted">Nothing was found in the rules of the draft.</p>
      ) : (
        <ul className="grid max-h-80 gap-2 overflow-y-auto p-4 text-sm">
          {shown.map(({ key, level, message, hint, fix }) => {
            const { Icon, style } = LEVELS[level];
            return (
              <li key={key} className="flex gap-2">
                <Icon aria-label={level} className={`mt-0.5 size-4 shrink-0 ${style}`} />
                <span className="grow">
                  {message} <span className="text-muted">{hint}</span>
                </span>
                {fix && (
                  <Button size="small" className="self-start" disabled={edit.isPending} onClick={fix}>
                    Fix
                  </Button>
                )}
              </li>
            );
          })}
        </ul>
      )}
    </Card>
  );
}
