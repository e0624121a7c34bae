import { useQuery } from '@tanstack/react-query';
import { useState } from 'react';
import { service } from '../../api/client.js';
import { useEdit } from '../../api/edit.js';
import { Button } from '../../components/button.js';
import { Card } from '../../components/layout.js';
import { ErrorNotice } from '../../components/loaded.js';
import { LevelIcon } from './finding-list.js';

const SHOWN = 3;

/** What the decisions of a replay show to be probably wrong; nothing where nothing is. */
export function TrafficCard({
  replayId,
  title = 'What this log shows',
  onFilter,
}: {
  replayId: number;
  title?: string;
  onFilter: (where: string) => void;
}) {
  const findings = useQuery({
    queryKey: ['replays', replayId, 'findings'],
    queryFn: () => service.trafficFindings(replayId),
    staleTime: Infinity,
    retry: false,
  }).data;
  const edit = useEdit();
  const [isWhole, setWhole] = useState(false);
  const [fixed, setFixed] = useState<readonly string[]>([]);
  if (!findings || findings.length === 0) return null;
  const shown = isWhole ? findings : findings.slice(0, SHOWN);
  return (
    <Card title={title}>
      {edit.error && <ErrorNotice error={edit.error} />}
      <ul className="divide-y divide-line text-sm">
        {shown.map(({ id, level, rule, message, hint, evidence, where, fix }) => (
          <li key={`${id} ${rule} ${message}`} className="flex flex-wrap items-start gap-2 px-4 py-2 sm:flex-nowrap">
            <LevelIcon level={level} />
            <div className="min-w-0 grow basis-4/5 wrap-anywhere sm:basis-0">
              {message} <span className="text-muted">{hint}</span>
              {evidence.map((line) => (
                <p key={line} className="text-muted">
                  {line}
                </p>
              ))}
            </div>
            {where !== undefined && (
              <Button size="small" className="shrink-0 whitespace-nowrap" onClick={() => onFilter(where)}>
                Show them
              </Button>
            )}
            {fix && (
              <Button
                size="small"
                className="shrink-0 whitespace-nowrap"
                disabled={edit.isPending || fixed.includes(message)}
                title="In the draft; replay the log by it next"
                onClick={() => edit.mutate(fix, { onSuccess: () => setFixed([...fixed, message]) })}
              >
                {fixed.includes(message) ? 'Fixed in the draft' : 'Fix'}
              </Button>
            )}
          </li>
        ))}
      </ul>
      {findings.length > SHOWN && (
        <div className="border-t border-line px-4 py-2">
          <Button size="small" onClick={() => setWhole(!isWhole)}>
            {isWhole ? 'Show fewer' : `Show all ${findings.length}`}
          </Button>
        </div>
      )}
    </Card>
  );
}
