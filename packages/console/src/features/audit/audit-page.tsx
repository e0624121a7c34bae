import { keepPreviousData, useQuery } from '@tanstack/react-query';
import { useState } from 'react';
import { auditQuery } from '../../api/queries.js';
import { Button } from '../../components/button.js';
import { Card, PageHeading, WideTable } from '../../components/layout.js';
import { Loaded } from '../../components/loaded.js';
import { countOf, formatTime, zoneName } from '../../format.js';
import { describeDetail } from './describe-detail.js';

const PAGE_ROWS = 25;

/** Who changed what, and when; latest first. */
export function AuditPage() {
  const [offset, setOffset] = useState(0);
  const page = useQuery({ ...auditQuery(offset, PAGE_ROWS), placeholderData: keepPreviousData });
  return (
    <>
      <PageHeading title="Audit trail">
        Every change that was made here, with what was before and what is after.
      </PageHeading>
      <Loaded query={page}>
        {({ entries, total, isIntact, problem }) => (
          <Card
            title={countOf(total, 'entry', 'entries')}
            aside={
              <span className={`text-sm ${isIntact ? 'text-muted' : 'font-semibold text-blocked'}`}>
                {isIntact ? 'Audit trail intact' : `Audit trail tampered with. ${problem ?? ''}`}
              </span>
            }
          >
            <WideTable label="Audit trail">
              <thead className="text-muted">
                <tr className="border-b border-line">
                  {[`at (${zoneName()})`, 'who', 'what', 'detail'].map((column) => (
                    <th key={column} scope="col" className="px-4 py-2 font-medium">
                      {column}
                    </th>
                  ))}
                </tr>
              </thead>
              <tbody>
                {entries.map(({ id, at, user, what, detail }) => (
                  <tr key={id} className="border-b border-line align-top last:border-b-0">
                    <td className="px-4 py-2 whitespace-nowrap">{formatTime(Date.parse(at))}</td>
                    <td className="px-4 py-2">{user ?? 'the service'}</td>
                    <td className="px-4 py-2 font-mono">{what}</td>
                    <td className="px-4 py-2">
                      <details>
                        <summary className="cursor-pointer">{describeDetail(detail)}</summary>
                        <pre className="mt-2 max-w-xl overflow-x-auto rounded-lg bg-sunken p-3 text-xs" tabIndex={0}>
                          {JSON.stringify(detail, null, 2)}
                        </pre>
                      </details>
                    </td>
                  </tr>
                ))}
              </tbody>
            </WideTable>
            <div className="flex justify-end gap-2 p-3">
              <Button size="small" disabled={offset === 0} onClick={() => setOffset(offset - PAGE_ROWS)}>
                Later
              </Button>
              <Button size="small" disabled={offset + PAGE_ROWS >= total} onClick={() => setOffset(offset + PAGE_ROWS)}>
                Earlier
              </Button>
            </div>
          </Card>
        )}
      </Loaded>
    </>
  );
}
