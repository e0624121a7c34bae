import { ExclamationTriangleIcon } from '@heroicons/react/20/solid';
import { useQuery } from '@tanstack/react-query';
import { describeDecider } from '@jadefence/core/replay';
import { service } from '../../api/client.js';
import { Button } from '../../components/button.js';
import { countOf } from '../../format.js';

/** Before all else: protected clients that the rules stop. */
export function ProtectedNotice({ replayId, onFilter }: { replayId: number; onFilter: (where: string) => void }) {
  const stops = useQuery({
    queryKey: ['replays', replayId, 'protected'],
    queryFn: () => service.protectedStops(replayId),
    staleTime: Infinity,
  }).data;
  return (stops ?? []).map(({ list, requests, rows, where }) => (
    <div
      key={list}
      role="alert"
      className="mb-4 flex items-center gap-3 rounded-xl border border-blocked bg-soft-blocked px-4 py-3"
    >
      <ExclamationTriangleIcon aria-hidden className="size-5 shrink-0 text-blocked" />
      <p className="grow">
        <strong>{countOf(requests, 'request')} of protected clients would be stopped</strong>: clients of the list{' '}
        <span className="font-mono">{list}</span>, the first {rows[0]!.client} by{' '}
        <span className="font-mono">{describeDecider(rows[0]!)}</span>.
      </p>
      <Button size="small" onClick={() => onFilter(where)}>
        Show them
      </Button>
    </div>
  ));
}
