import { useMutation, useQuery, useQueryClient } from '@tanstack/react-query';
import type { ReplayPolicy, Log } from '@jadefence/contract';
import { LOG_FORMATS } from '@jadefence/core/logs';
import { REJECT_REASONS } from '@jadefence/core/request';
import { useState } from 'react';
import { useNavigate } from 'react-router';
import { hasProblem, service } from '../../api/client.js';
import { draftQuery, logQuery, surveyQuery } from '../../api/queries.js';
import { Button } from '../../components/button.js';
import { Card, Notice, PageHeading } from '../../components/layout.js';
import { ErrorNotice, Loaded } from '../../components/loaded.js';
import { countOf, formatTime, zoneName } from '../../format.js';
import { useStartReplay } from '../evidence/start-replay.js';
import { ReplayForm } from './replay-form.js';
import { SurveyCards } from './survey-cards.js';

export function LogPage({ id }: { id: number }) {
  const log = useQuery(logQuery(id));
  const survey = useQuery(surveyQuery(id));
  return (
    <Loaded query={log}>
      {(data) => (
        <>
          <PageHeading title={data.name} aside={<LogActions log={data} />}>
            {countOf(data.requests, 'request')} from {formatTime(data.fromUnixMs)} to {formatTime(data.toUnixMs)}{' '}
            {zoneName()}, read as {LOG_FORMATS[data.format]}
            {data.files.length > 0 && ` from ${data.files.join(', ')}`}.
            {data.incomplete && ` It is incomplete: ${data.incomplete}`}
          </PageHeading>
          {data.hostNotice && <Notice>{data.hostNotice}</Notice>}
          <Loaded query={survey}>{(item) => <SurveyCards survey={item} />}</Loaded>
          {data.rejectedLines > 0 && <RejectedLines log={data} />}
        </>
      )}
    </Loaded>
  );
}

function LogActions({ log }: { log: Log }) {
  const queryClient = useQueryClient();
  const navigate = useNavigate();
  const replay = useStartReplay();
  const [isChoosing, setChoosing] = useState(false);
  const draft = useQuery(draftQuery).data;
  const published = draft?.published;
  const start = (against: ReplayPolicy): void => replay.mutate({ logId: log.id, against });
  const remove = useMutation({
    mutationFn: (isForced: boolean) => service.deleteLog(log.id, isForced),
    onSuccess: async () => {
      queryClient.setQueriesData<Log[]>({ queryKey: ['logs', 'list'] }, (logs) =>
        logs?.filter(({ id }) => id !== log.id),
      );
      await navigate('/logs');
      queryClient.removeQueries({ queryKey: ['logs', log.id] });
      await Promise.all(['logs', 'replays'].map((noun) => queryClient.invalidateQueries({ queryKey: [noun] })));
    },
  });
  const isUsed = hasProblem(remove.error, 'log-in-use');
  // The first press only asks; the second shows what depends on the log.
  const [isConfirming, setIsConfirming] = useState(false);
  const deleteText = isUsed ? 'Delete it with its replays' : isConfirming ? 'Really delete it' : 'Delete';
  return (
    <div className="flex max-w-md flex-col items-end gap-2">
      <div className="flex flex-wrap justify-end gap-2">
        <Button look="primary" onClick={() => start('draft')} disabled={replay.isPending}>
          Replay against the draft
        </Button>
        {published && (
          <Button onClick={() => start(published)} disabled={replay.isPending}>
            Against revision {published}
          </Button>
        )}
        <Button onClick={() => setChoosing(true)}>With options …</Button>
        <Button
          onClick={() => (isConfirming ? remove.mutate(isUsed) : setIsConfirming(true))}
          disabled={remove.isPending}
        >
          {deleteText}
        </Button>
      </div>
      {isChoosing && <ReplayForm log={log} onClose={() => setChoosing(false)} />}
      {replay.error && <ErrorNotice error={replay.error} />}
      {remove.error && <ErrorNotice error={remove.error} />}
    </div>
  );
}

function RejectedLines({ log }: { log: Log }) {
  return (
    <Card title={`${countOf(log.rejectedLines, 'line')} rejected`}>
      <ul className="grid gap-1 overflow-x-auto p-4 text-sm" tabIndex={0} aria-label="Rejected lines">
        {log.firstRejected.map(({ file, line, reason, start }) => (
          <li key={`${file} ${line}`}>
            <span className="text-muted">
              {file !== undefined && `${file}, `}line {line}, {REJECT_REASONS[reason]}:
            </span>{' '}
            <code className="font-mono text-xs whitespace-nowrap">{JSON.stringify(start)}</code>
          </li>
        ))}
      </ul>
    </Card>
  );
}
