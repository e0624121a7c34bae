import { Disclosure, DisclosureButton, DisclosurePanel } from '@headlessui/react';
import { ChevronRightIcon } from '@heroicons/react/20/solid';
import { useQuery } from '@tanstack/react-query';
import type { RecordedComparisonResult } from '@jadefence/contract';
import { OUTCOMES } from '@jadefence/core/language';
import type { RecordedGroup, RecordedOutcome, Side } from '@jadefence/core/replay';
import { useState } from 'react';
import { service } from '../../api/client.js';
import { Button } from '../../components/button.js';
import { Card, WideTable } from '../../components/layout.js';
import { ErrorNotice, Loading } from '../../components/loaded.js';
import { OutcomeLabel } from '../../components/outcome.js';
import { TextField } from '../../components/text-field.js';
import { countOf, formatCount } from '../../format.js';
import { SideLabel } from '../evidence/side-label.js';

const RECORDED: readonly RecordedOutcome[] = ['passed', 'stopped', 'unknown'];
const SHOWN = 12;

/** What the log shows to have happened, compared with the replay: mistakes of the model show here. */
export function RecordedCard({ replayId, onFilter }: { replayId: number; onFilter: (where: string) => void }) {
  return (
    <Disclosure as="div">
      <Card
        title={
          <DisclosureButton className="group flex items-center gap-1">
            <ChevronRightIcon aria-hidden className="size-4 transition-transform group-data-open:rotate-90" />
            Compared with what was recorded
          </DisclosureButton>
        }
      >
        <DisclosurePanel>
          <Recorded replayId={replayId} onFilter={onFilter} />
        </DisclosurePanel>
      </Card>
    </Disclosure>
  );
}

function Recorded({ replayId, onFilter }: { replayId: number; onFilter: (where: string) => void }) {
  const [stops, setStops] = useState<readonly number[]>();
  const recorded = useQuery({
    queryKey: ['replays', replayId, 'recorded', stops],
    queryFn: () => service.recorded(replayId, { stops }),
    staleTime: Infinity,
    retry: false,
  });
  return (
    <div className="grid gap-4 p-4">
      <StopsForm onChange={setStops} />
      {recorded.error && <ErrorNotice error={recorded.error} />}
      {recorded.isPending && <Loading />}
      {recorded.data && <Tables result={recorded.data} onFilter={onFilter} />}
    </div>
  );
}

/** The statuses by which a log shows that a request was stopped. */
function StopsForm({ onChange }: { onChange: (stops: readonly number[]) => void }) {
  const [text, setText] = useState('429, 451');
  const stops = text.split(/[\s,]+/).filter(Boolean);
  const isRight = stops.length > 0 && stops.every((status) => /^[1-5]\d\d$/.test(status));
  return (
    <form
      className="flex items-start gap-3"
      onSubmit={(event) => {
        event.preventDefault();
        if (isRight) onChange(stops.map(Number));
      }}
    >
      <TextField
        label="Statuses that mean a stop"
        value={text}
        problem={isRight ? undefined : 'Give statuses from 100 to 599, such as 403, 429.'}
        onChange={(event) => setText(event.target.value)}
      />
      <Button type="submit" className="mt-6">
        Compare
      </Button>
    </form>
  );
}

function Tables({ result, onFilter }: { result: RecordedComparisonResult; onFilter: (where: string) => void }) {
  const { requests, newlyPassed, newlyStopped, matrix, groups } = result;
  const to = OUTCOMES.filter((outcome) => RECORDED.some((recorded) => matrix[recorded]?.[outcome]));
  const [isWhole, setWhole] = useState(false);
  const shown = isWhole ? groups : groups.slice(0, SHOWN);
  return (
    <>
      <p className="text-sm">
        <strong>{formatCount(newlyStopped)}</strong> of {countOf(requests, 'request')} passed and would be stopped,{' '}
        <strong>{formatCount(newlyPassed)}</strong> were stopped and would pass.
      </p>
      <WideTable label="What was recorded, and outcomes of the replay">
        <thead className="text-muted">
          <tr className="border-b border-line">
            <th scope="col" className="px-4 py-2 font-medium">
              Recorded \ Replay
            </th>
            {to.map((outcome) => (
              <th key={outcome} scope="col" className="px-4 py-2 text-right font-medium">
                <OutcomeLabel outcome={outcome} />
              </th>
            ))}
          </tr>
        </thead>
        <tbody>
          {RECORDED.filter((recorded) => matrix[recorded]).map((recorded) => (
            <tr key={recorded} className="border-b border-line last:border-b-0">
              <th scope="row" className="px-4 py-2 text-left font-normal">
                {recorded}
              </th>
              {to.map((outcome) => (
                <td key={outcome} className="px-4 py-2 text-right tabular-nums">
                  {formatCount(matrix[recorded]?.[outcome] ?? 0)}
                </td>
              ))}
            </tr>
          ))}
        </tbody>
      </WideTable>
      <WideTable label="Groups of requests by recorded status and rule">
        <thead className="text-muted">
          <tr className="border-b border-line">
            <th scope="col" className="px-4 py-2 text-right font-medium">
              requests
            </th>
            <th scope="col" className="px-4 py-2 font-medium">
              recorded
            </th>
            <th scope="col" className="px-4 py-2 font-medium">
              replay
            </th>
            <th scope="col" className="px-4 py-2 font-medium">
              <span className="sr-only">requests</span>
            </th>
          </tr>
        </thead>
        <tbody>
          {shown.map((group) => (
            <GroupRow key={whereOf(group)} group={group} onFilter={onFilter} />
          ))}
        </tbody>
      </WideTable>
      {shown.length < groups.length && (
        <div>
          <Button onClick={() => setWhole(true)}>Show all {formatCount(groups.length)} groups</Button>
        </div>
      )}
    </>
  );
}

function GroupRow({ group, onFilter }: { group: RecordedGroup; onFilter: (where: string) => void }) {
  const { requests, recorded, status, after, isDifferent } = group;
  return (
    <tr className={`border-b border-line last:border-b-0 ${isDifferent ? '' : 'text-muted'}`}>
      <td className="px-4 py-2 text-right tabular-nums">{formatCount(requests)}</td>
      <td className="px-4 py-2 whitespace-nowrap">
        {recorded} {status !== undefined && <span className="font-mono text-xs">{status}</span>}
        {isDifferent && <span className="ml-2 rounded bg-soft-limited px-1.5 text-xs text-ink">differs</span>}
      </td>
      <td className="px-4 py-2">
        <SideLabel side={after} />
      </td>
      <td className="px-4 py-2 text-right">
        {status !== undefined && (
          <Button size="small" onClick={() => onFilter(whereOf(group))}>
            show these
          </Button>
        )}
      </td>
    </tr>
  );
}

/** A filter for the requests of a group that has a status. */
function whereOf({ status, after }: RecordedGroup): string {
  return [`recorded status = ${status}`, `outcome = ${after.outcome}`, ...decidedBy(after)].join(' and ');
}

function decidedBy({ gate, fence, rule }: Side): string[] {
  if (rule !== undefined) return [`rule = ${fence}/${rule}`];
  if (fence !== undefined) return [`fence = ${fence} and rule absent`];
  return gate === undefined ? [] : [`gate = ${gate} and fence absent`];
}
