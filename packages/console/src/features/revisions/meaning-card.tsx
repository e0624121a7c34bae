import { useQuery } from '@tanstack/react-query';
import type { ChangedRequests, MeaningChanges, ReplayPolicy } from '@jadefence/contract';
import { useState } from 'react';
import { service } from '../../api/client.js';
import { draftMeaningQuery, logsQuery, meaningQuery } from '../../api/queries.js';
import { Button } from '../../components/button.js';
import { ExampleRequest } from '../../components/example-request.js';
import { Card } from '../../components/layout.js';
import { ErrorNotice } from '../../components/loaded.js';
import { countOf, formatCount } from '../../format.js';

const SHOWN = 8;

/** Which kinds of requests publishing the draft would change, proved over all requests there can be. */
export function DraftMeaningCard() {
  return (
    <Card title="Which requests change">
      <Meaning {...useQuery(draftMeaningQuery)} against="draft" />
    </Card>
  );
}

/** Which kinds of requests change from one revision to another. */
export function RevisionMeaning({ from, to }: { from: ReplayPolicy; to: ReplayPolicy }) {
  return <Meaning {...useQuery(meaningQuery(from, to))} against={to} />;
}

function Meaning({ data, error, against }: { data?: MeaningChanges; error: Error | null; against: ReplayPolicy }) {
  if (error)
    return (
      <div className="p-4">
        <ErrorNotice error={error} />
      </div>
    );
  if (!data)
    return (
      <p role="status" className="p-4 text-sm text-muted">
        Going through all requests there can be …
      </p>
    );
  return <MeaningList changes={data} against={against} />;
}

/**
 * The kinds of requests that change, each with one that does.
 * @param against what the changes led to, by which requests of the latest log are counted; they are not where absent
 */
export function MeaningList({
  changes: { regions, undecided },
  against,
}: {
  changes: MeaningChanges;
  against?: ReplayPolicy;
}) {
  const [isWhole, setWhole] = useState(false);
  const shown = isWhole ? regions : regions.slice(0, SHOWN);
  return (
    <div className="grid gap-3 p-4 text-sm">
      {regions.length === 0 && undecided.length === 0 && <p>Nothing changes for any request.</p>}
      {shown.length > 0 && (
        <ul className="grid gap-3">
          {shown.map((region) => (
            <RegionItem key={region.sentence} region={region} against={against} />
          ))}
        </ul>
      )}
      {regions.length > shown.length && (
        <Button size="small" className="justify-self-start" onClick={() => setWhole(true)}>
          Show {regions.length - shown.length} more
        </Button>
      )}
      {undecided.map(({ gate, reason }) => (
        <p key={`${gate} ${reason}`} className="text-muted">
          Not decided{gate === undefined ? '' : ` at the gate ${gate}`}: {reason}.
        </p>
      ))}
    </div>
  );
}

function RegionItem({ region, against }: { region: ChangedRequests; against: ReplayPolicy | undefined }) {
  return (
    <li className="grid gap-1 border-l-2 border-jade pl-3">
      <p className="wrap-anywhere">{region.sentence}</p>
      {against !== undefined && region.rule !== undefined && (
        <RegionCount rule={region.rule} fence={region.fence!} against={against} />
      )}
      <ExampleRequest request={region.example} />
    </li>
  );
}

/** How many requests of the latest log it holds. */
function RegionCount({ rule, fence, against }: { rule: string; fence: string; against: ReplayPolicy }) {
  const logs = useQuery(logsQuery()).data;
  const { data } = useQuery({
    queryKey: ['draft', 'matches', logs?.[0]?.id, rule, against],
    queryFn: async ({ signal }) => (await service.countInLatest(logs!, { text: rule, fence, against }, signal)) ?? null,
    enabled: logs !== undefined,
  });
  if (!data) return null;
  const { matching, unknown, log } = data;
  return (
    <p className="text-muted tabular-nums">
      {countOf(matching, 'request')} of {log.name}
      {unknown > 0 && `, and perhaps ${formatCount(unknown)} more`}
    </p>
  );
}
