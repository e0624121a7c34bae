import { useQuery } from '@tanstack/react-query';
import { Link } from 'react-router';
import { useState } from 'react';
import { LIST_ROWS, logsQuery } from '../../api/queries.js';
import { Card, EmptyState, PageHeading } from '../../components/layout.js';
import { ListPager } from '../../components/pager.js';
import { Loaded } from '../../components/loaded.js';
import { countOf, formatTime, zoneName } from '../../format.js';
import { UploadForm } from './upload-form.js';

export function LogsPage() {
  const [offset, setOffset] = useState(0);
  const logs = useQuery(logsQuery(offset));
  return (
    <>
      <PageHeading title="Logs">Request logs, stored once and replayed as often as you like.</PageHeading>
      <Loaded query={logs}>
        {(list) =>
          list.length === 0 && offset === 0 ? (
            <div className="mb-6">
              <EmptyState title="No logs yet">
                Choose a request log below; it is read by the same rules here before it is sent.
              </EmptyState>
            </div>
          ) : (
            <Card>
              <ul>
                {list.map((log) => (
                  <li
                    key={log.id}
                    className="flex flex-wrap items-center justify-between gap-3 border-b border-line px-4 py-3 last:border-b-0"
                  >
                    <div>
                      <Link to={`/logs/${log.id}`} className="font-medium text-jade underline-offset-2 hover:underline">
                        {log.name}
                      </Link>
                      <p className="text-sm text-muted">
                        {formatTime(log.fromUnixMs)} to {formatTime(log.toUnixMs)} {zoneName()}
                      </p>
                    </div>
                    <span className="text-sm text-muted">
                      {countOf(log.requests, 'request')}
                      {log.rejectedLines > 0 && `, ${countOf(log.rejectedLines, 'line')} rejected`}
                    </span>
                  </li>
                ))}
              </ul>
              <ListPager offset={offset} numShown={list.length} pageRows={LIST_ROWS} onOffset={setOffset} />
            </Card>
          )
        }
      </Loaded>
      <UploadForm />
    </>
  );
}
