import { useQuery } from '@tanstack/react-query';
import type { Replay } from '@jadefence/contract';
import { Link } from 'react-router';
import { useState } from 'react';
import { LIST_ROWS, replaysQuery } from '../../api/queries.js';
import { Card, EmptyState, PageHeading } from '../../components/layout.js';
import { ListPager } from '../../components/pager.js';
import { Loaded } from '../../components/loaded.js';
import { countOf, formatCount, formatTime, zoneName } from '../../format.js';
import { policyName } from '../evidence/policy-name.js';
import { replayTitle } from '../evidence/replay-title.js';

export function ReplaysPage() {
  const [offset, setOffset] = useState(0);
  const replays = useQuery({
    ...replaysQuery(offset),
    refetchInterval: (query) =>
      query.state.data?.some(({ state }) => state === 'waiting' || state === 'running') ? 1000 : false,
  });
  return (
    <>
      <PageHeading title="Replays">
        The decisions of the draft or a revision on a stored log. Each depends on the rules and the country table as
        they were.
      </PageHeading>
      <Loaded query={replays}>
        {(list) =>
          list.length === 0 && offset === 0 ? (
            <EmptyState title="No replays yet">
              Choose a log under{' '}
              <Link to="/logs" className="text-jade underline">
                Logs
              </Link>{' '}
              and replay it against the draft.
            </EmptyState>
          ) : (
            <Card>
              <ul>
                {list.map((replay) => (
                  <li
                    key={replay.id}
                    className="flex flex-wrap items-center justify-between gap-3 border-b border-line px-4 py-3 last:border-b-0"
                  >
                    <div>
                      <Link
                        to={`/replays/${replay.id}`}
                        className="font-medium text-jade underline-offset-2 hover:underline"
                      >
                        {replayTitle(replay)}
                      </Link>
                      <p className="text-sm text-muted">
                        started {formatTime(Date.parse(replay.startedAt))} {zoneName()}, against {policyName(replay)}
                        {replay.gate ? `, all judged by gate ${replay.gate}` : ''}
                        {spanText(replay)}
                      </p>
                    </div>
                    <span className="text-sm text-muted">
                      {replay.state === 'done'
                        ? countOf(replay.requests, 'request')
                        : `${replay.state}: ${formatCount(replay.requestsDone)} of ${formatCount(replay.requests)}`}
                    </span>
                  </li>
                ))}
              </ul>
              <ListPager offset={offset} numShown={list.length} pageRows={LIST_ROWS} onOffset={setOffset} />
            </Card>
          )
        }
      </Loaded>
    </>
  );
}

function spanText({ fromUnixMs, toUnixMs }: Replay): string {
  const from = fromUnixMs === null ? '' : ` from ${formatTime(fromUnixMs)}`;
  const to = toUnixMs === null ? '' : ` before ${formatTime(toUnixMs)}`;
  return from + to === '' ? '' : `, only requests${from}${to}`;
}
