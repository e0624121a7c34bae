import { useQuery } from '@tanstack/react-query';
import { stoppedClientsQuery } from '../../api/queries.js';
import { Card } from '../../components/layout.js';
import { formatTime } from '../../format.js';
import { ReleaseButton } from '../evidence/stop-client.js';

/** Clients that are stopped at every gate now; nothing where there are none. */
export function StoppedCard() {
  const stopped = useQuery(stoppedClientsQuery).data ?? [];
  if (stopped.length === 0) return null;
  return (
    <Card title="Stopped clients">
      <ul className="max-h-80 divide-y divide-line overflow-y-auto text-sm">
        {stopped.map(({ client, untilUnixMs, owner, reason }) => (
          <li key={client} className="flex items-center gap-3 px-4 py-2">
            <span className="min-w-0 grow">
              <span className="font-mono text-xs">{client}</span>{' '}
              {untilUnixMs === undefined ? 'until it is released' : `until ${formatTime(untilUnixMs)}`}
              <span className="block text-muted">
                {[...(owner ? [`by ${owner}`] : []), ...(reason ? [reason] : [])].join(': ')}
              </span>
            </span>
            <ReleaseButton client={client} />
          </li>
        ))}
      </ul>
    </Card>
  );
}
