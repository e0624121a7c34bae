import { useQuery, useQueryClient } from '@tanstack/react-query';
import type { ComparisonInfo, ComparisonProgress, ComparisonResult } from '@jadefence/contract';
import { OUTCOMES, type Outcome } from '@jadefence/core/language';
import type { ComparisonGroup } from '@jadefence/core/replay';
import { useEffect, useState } from 'react';
import { service } from '../../api/client.js';
import { comparisonQuery, comparisonResultQuery } from '../../api/queries.js';
import { Button } from '../../components/button.js';
import { Card, PageHeading, WideTable } from '../../components/layout.js';
import { ErrorNotice, Loaded } from '../../components/loaded.js';
import { OutcomeLabel } from '../../components/outcome.js';
import { countOf, formatCount, formatShare } from '../../format.js';
import { BreakdownCard } from '../evidence/breakdown-card.js';
import { FlowPicture } from './flow-picture.js';
import { ChangesTable } from './changes-table.js';
import { policyName } from '../evidence/policy-name.js';
import { SideLabel } from '../evidence/side-label.js';

export function ComparisonPage({ id }: { id: number }) {
  const comparison = useQuery(comparisonQuery(id));
  return (
    <Loaded query={comparison}>
      {(data) => (data.state === 'done' ? <DoneComparison id={id} /> : <RunningComparison comparison={data} />)}
    </Loaded>
  );
}

function titleOf({ logName, before, after }: ComparisonInfo): string {
  return `${logName}: ${policyName(before)}, then ${policyName(after)}`;
}

function RunningComparison({ comparison }: { comparison: ComparisonInfo }) {
  const queryClient = useQueryClient();
  const [progress, setProgress] = useState<ComparisonProgress>(comparison);
  useEffect(() => {
    const stop = new AbortController();
    service
      .followComparison(comparison.id, setProgress, stop.signal)
      .then(() => queryClient.invalidateQueries({ queryKey: ['comparisons'] }))
      .catch(() => undefined);
    return () => stop.abort();
  }, [queryClient, comparison.id]);
  if (progress.state === 'failed')
    return <ErrorNotice error={new Error(`The comparison failed: ${progress.failure}`)} />;
  return (
    <>
      <PageHeading title={titleOf(comparison)}>Both judge the log, which is read once.</PageHeading>
      <label className="block text-sm">
        {formatCount(progress.requestsDone)} of {countOf(progress.requests, 'request')}
        <progress max={progress.requests} value={progress.requestsDone} className="mt-2 block h-2 w-full accent-jade" />
      </label>
    </>
  );
}

function DoneComparison({ id }: { id: number }) {
  const result = useQuery(comparisonResultQuery(id));
  return <Loaded query={result}>{(data) => <Result result={data} />}</Loaded>;
}

function Result({ result }: { result: ComparisonResult }) {
  const { tally, breakdowns } = result;
  /** The group whose requests are listed. */
  const [group, setGroup] = useState<number>();
  return (
    <>
      <PageHeading title={titleOf(result)}>
        {tally.changed === 0
          ? `None of ${countOf(tally.requests, 'request')} changes`
          : `${formatCount(tally.changed)} of ${countOf(tally.requests, 'request')} change (${formatShare(tally.changed / tally.requests)})`}
        {tally.moved > 0 && `; ${formatCount(tally.moved)} more have the same response from another rule`}.
      </PageHeading>
      <Matrix matrix={tally.matrix} />
      {tally.groups.length > 0 && <Groups groups={tally.groups} chosen={group} onChoose={setGroup} />}
      {tally.groups.length > 0 && (
        <ChangesTable key={group} comparison={result} group={group} chosen={tally.groups[group ?? -1]} />
      )}
      {tally.changed > 0 && breakdowns.length > 0 && (
        <BreakdownCard title="Affected requests" breakdowns={breakdowns} isOfChanges />
      )}
    </>
  );
}

/** Outcomes before as rows, after as columns; what stays the same is muted. */
function Matrix({ matrix }: { matrix: ComparisonResult['tally']['matrix'] }) {
  const from = OUTCOMES.filter((outcome) => matrix[outcome]);
  const to = OUTCOMES.filter((outcome) => from.some((value) => matrix[value]![outcome]));
  const share = (value: Outcome, other: Outcome): number => matrix[value]?.[other] ?? 0;
  return (
    <Card title="Before and after">
      <FlowPicture matrix={matrix} />
      <WideTable label="Outcomes before and after">
        <thead className="text-muted">
          <tr className="border-b border-line">
            <th scope="col" className="px-4 py-2 font-medium">
              Before \ After
            </th>
            {to.map((outcome) => (
              <th key={outcome} scope="col" className="px-4 py-2 text-right font-medium">
                <OutcomeLabel outcome={outcome} />
              </th>
            ))}
          </tr>
        </thead>
        <tbody>
          {from.map((value) => (
            <tr key={value} className="border-b border-line last:border-b-0">
              <th scope="row" className="px-4 py-2 text-left font-normal">
                <OutcomeLabel outcome={value} />
              </th>
              {to.map((other) => (
                <td
                  key={other}
                  className={`px-4 py-2 text-right tabular-nums ${value === other || share(value, other) === 0 ? 'text-muted' : 'bg-soft-limited font-semibold'}`}
                >
                  {share(value, other) === 0 ? 'none' : formatCount(share(value, other))}
                </td>
              ))}
            </tr>
          ))}
        </tbody>
      </WideTable>
    </Card>
  );
}

/** What the requests were decided by before and after; one group can be chosen, to see its requests. */
function Groups({
  groups,
  chosen,
  onChoose,
}: {
  groups: readonly ComparisonGroup[];
  chosen: number | undefined;
  onChoose: (group: number | undefined) => void;
}) {
  return (
    <Card title="Changes by rule">
      <WideTable label="Groups of requests">
        <thead className="text-muted">
          <tr className="border-b border-line">
            <th scope="col" className="px-4 py-2 text-right font-medium">
              requests
            </th>
            <th scope="col" className="px-4 py-2 font-medium">
              before
            </th>
            <th scope="col" className="px-4 py-2 font-medium">
              after
            </th>
            <th scope="col" className="px-4 py-2 font-medium">
              <span className="sr-only">requests</span>
            </th>
          </tr>
        </thead>
        <tbody>
          {groups.map(({ before, after, isChange, requests }, index) => (
            <tr
              key={index}
              className={`border-b border-line last:border-b-0 ${chosen === index ? 'bg-jade-soft' : ''} ${isChange ? '' : 'text-muted'}`}
            >
              <td className="px-4 py-2 text-right tabular-nums">{formatCount(requests)}</td>
              <td className="px-4 py-2">
                <SideLabel side={before} />
              </td>
              <td className="px-4 py-2">
                <SideLabel side={after} />
                {!isChange && <span className="ml-2 text-xs">has the same result</span>}
              </td>
              <td className="px-4 py-2 text-right">
                <Button
                  size="small"
                  aria-pressed={chosen === index}
                  onClick={() => onChoose(chosen === index ? undefined : index)}
                >
                  {chosen === index ? 'show all' : 'show these'}
                </Button>
              </td>
            </tr>
          ))}
        </tbody>
      </WideTable>
    </Card>
  );
}
