import { useMutation, useQuery, useQueryClient } from '@tanstack/react-query';
import type { ReplayPolicy, Log } from '@jadefence/contract';
import { LOG_FORMATS } from '@jadefence/core/logs';
import { REJECT_REASONS } from '@jadefence/core/request';
import { useState } from 'react';
import { useNavigate } from 'react-router';
import { hasProblem, service } from '../../api/client.js';
import { draftQuery, logQuery, surveyQuery } from '../../api/queries.js';
import { Button } from '../../components/button.js';
import { Choice } from '../../components/choice.js';
import { Card, Notice, PageHeading } from '../../components/layout.js';
import { ErrorNotice, Loaded } from '../../components/loaded.js';
import { countOf, formatTime } from '../../format.js';
import { SurveyCards } from './survey-cards.js';

export function LogPage({ id }: { id: number }) {
  const log = useQuery(logQuery(id));
  const survey = useQuery(surveyQuery(id));
  return (
    <Loaded query={log}>
      {(data) => (
        <>
          <PageHeading title={data.name} aside={<LogActions log={data} />}>
            {countOf(data.requests, 'request')} from {formatTime(data.fromUnixMs)} to {formatTime(data.toUnixMs)} UTC,
            read as {LOG_FORMATS[data.format]}
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

/** Each request is judged by the gate that covers it. */
const ALL_GATES = '';

function LogActions({ log }: { log: Log }) {
  const queryClient = useQueryClient();
  const navigate = useNavigate();
  const [gate, setGate] = useState(ALL_GATES);
  const replay = useMutation({
    mutationFn: (against: ReplayPolicy) =>
      service.startReplay({ logId: log.id, against, ...(gate === ALL_GATES ? {} : { gate }) }),
    onSuccess: async ({ id }) => {
      await queryClient.invalidateQueries({ queryKey: ['replays'] });
      await navigate(`/replays/${id}`);
    },
  });
  const draft = useQuery(draftQuery).data;
  const published = draft?.published;
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
        {draft && draft.gates.length > 1 && (
          <Choice
            label="Replay at"
            value={gate}
            options={[
              { value: ALL_GATES, text: 'the gates that cover it' },
              ...draft.gates.map(({ name }) => ({ value: name, text: name })),
            ]}
            onChange={setGate}
          />
        )}
        <Button look="primary" onClick={() => replay.mutate('draft')} disabled={replay.isPending}>
          Replay against the draft
        </Button>
        {published && (
          <Button onClick={() => replay.mutate(published)} disabled={replay.isPending}>
            Against revision {published}
          </Button>
        )}
        <Button
          onClick={() => (isConfirming ? remove.mutate(isUsed) : setIsConfirming(true))}
          disabled={remove.isPending}
        >
          {deleteText}
        </Button>
      </div>
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
