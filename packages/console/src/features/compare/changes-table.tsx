import { useQuery } from '@tanstack/react-query';
import type { ChangeRow, ComparisonResult } from '@jadefence/contract';
import { describeDecider, type ComparisonGroup } from '@jadefence/core/replay';
import { useState } from 'react';
import { changesQuery } from '../../api/queries.js';
import { Button } from '../../components/button.js';
import { Card, WideTable } from '../../components/layout.js';
import { Loaded } from '../../components/loaded.js';
import { Pager } from '../../components/pager.js';
import { requestColumns, RequestCells } from '../../components/request-cells.js';
import { ExplanationPanel } from '../evidence/explanation-panel.js';
import { SideLabel } from '../evidence/side-label.js';

const PAGE_ROWS = 25;

/** The requests that change, or those of one group, each with both explanations. */
export function ChangesTable({
  comparison,
  group,
  chosen,
}: {
  comparison: ComparisonResult;
  group: number | undefined;
  chosen: ComparisonGroup | undefined;
}) {
  const [offset, setOffset] = useState(0);
  const [explained, setExplained] = useState<{ row: ChangeRow; replayId: number }>();
  const page = useQuery(changesQuery(comparison.id, { offset, limit: PAGE_ROWS, group }));
  const title = chosen
    ? `From ${describeDecider(chosen.before)} to ${describeDecider(chosen.after)}`
    : 'Requests that change';
  return (
    <Card title={title}>
      <Loaded query={page}>
        {({ rows, total, offset: shownOffset }) => (
          <>
            <WideTable label={title}>
              <thead className="text-muted">
                <tr className="border-b border-line">
                  {[...requestColumns(), 'before', 'after'].map((column) => (
                    <th key={column} scope="col" className="px-3 py-2 font-medium first:pl-4">
                      {column}
                    </th>
                  ))}
                </tr>
              </thead>
              <tbody>
                {rows.map((row) => (
                  <Row
                    key={row.row}
                    row={row}
                    comparison={comparison}
                    onExplain={(replayId) => setExplained({ row, replayId })}
                  />
                ))}
              </tbody>
            </WideTable>
            <Pager
              offset={shownOffset}
              numShown={rows.length}
              total={total}
              pageRows={PAGE_ROWS}
              nothing="no request changes"
              onOffset={setOffset}
            />
          </>
        )}
      </Loaded>
      <ExplanationPanel
        replayId={explained?.replayId ?? 0}
        row={explained?.row.row}
        shown={explained?.row}
        onClose={() => setExplained(undefined)}
      />
    </Card>
  );
}

function Row({
  row,
  comparison,
  onExplain,
}: {
  row: ChangeRow;
  comparison: ComparisonResult;
  onExplain: (replayId: number) => void;
}) {
  return (
    <tr className="border-b border-line last:border-b-0">
      <RequestCells request={row} />
      {(
        [
          ['before', row.before, comparison.before.id],
          ['after', row.after, comparison.after.id],
        ] as const
      ).map(([when, side, replayId]) => (
        <td key={when} className="px-3 py-1.5">
          <span className="flex items-center justify-between gap-2">
            <SideLabel side={side} />
            <Button size="small" onClick={() => onExplain(replayId)} aria-label={`Explain line ${row.line} ${when}`}>
              why
            </Button>
          </span>
        </td>
      ))}
    </tr>
  );
}
