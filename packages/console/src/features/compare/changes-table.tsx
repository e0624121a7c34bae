import type { ChangeRow, ComparisonResult, DecisionRow } from '@jadefence/contract';
import { describeDecider, type ComparisonGroup } from '@jadefence/core/replay';
import { useState } from 'react';
import { useAddressState } from '../../address-state.js';
import { changesQuery } from '../../api/queries.js';
import { Button } from '../../components/button.js';
import { ColumnPicker, useColumns } from '../../components/columns.js';
import { Card } from '../../components/layout.js';
import { ErrorNotice, Loading } from '../../components/loaded.js';
import { HIDDEN_COLUMNS, requestColumns } from '../../components/request-columns.js';
import { WindowTable, type Column } from '../../components/window-table.js';
import { DecisionActions } from '../evidence/decision-actions.js';
import { ExplanationPanel } from '../evidence/explanation-panel.js';
import { useRowWindow } from '../evidence/row-window.js';
import { useSortedRows } from '../evidence/sorted-rows.js';
import { SideLabel } from '../evidence/side-label.js';

interface Explained {
  readonly row: ChangeRow;
  readonly replayId: number;
}

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
  const [first, setFirst] = useState(0);
  const [explained, setExplained] = useState<Explained>();
  const pageOf = (offset: number, limit: number) => changesQuery(comparison.id, { offset, limit, group });
  const inOrder = useRowWindow<ChangeRow>('', first, (_, offset, limit) => pageOf(offset, limit));
  const title = chosen
    ? `From ${describeDecider(chosen.before)} to ${describeDecider(chosen.after)}`
    : 'Requests that change';
  const all = columnsOf(comparison, setExplained);
  const { columns, shown, toggle } = useColumns('changes', all, [...HIDDEN_COLUMNS, 'country']);
  const { rows, sorting } = useSortedRows(inOrder, useAddressState(), all, pageOf);
  const { total } = rows;
  return (
    <Card title={title} aside={<ColumnPicker all={all} shown={shown} onToggle={toggle} />}>
      {rows.error && <ErrorNotice error={rows.error} />}
      {total === undefined && !rows.error && <Loading />}
      {total !== undefined && (
        <WindowTable
          nothing="no request changes"
          label={title}
          columns={columns}
          total={total}
          first={first}
          rowAt={rows.rowAt}
          sorting={sorting}
          onFirst={setFirst}
        />
      )}
      <ExplanationPanel
        replayId={explained?.replayId ?? 0}
        row={explained?.row.row}
        shown={explained?.row}
        actions={explained && <DecisionActions row={decisionOf(comparison, explained)} />}
        onClose={() => setExplained(undefined)}
      />
    </Card>
  );
}

/** The change as one of its two decisions. */
function decisionOf(comparison: ComparisonResult, { row, replayId }: Explained): DecisionRow {
  const { before, after, ...request } = row;
  return { ...request, ...(replayId === comparison.before.id ? before : after) };
}

function columnsOf(comparison: ComparisonResult, onExplain: (explained: Explained) => void): Column<ChangeRow>[] {
  const side = (when: 'before' | 'after'): Column<ChangeRow> => ({
    id: when,
    title: when,
    text: (row) => describeDecider(row[when]),
    cell: (row) => (
      <span className="flex items-center justify-between gap-2">
        <SideLabel side={row[when]} />
        <Button
          size="small"
          onClick={() => onExplain({ row, replayId: comparison[when].id })}
          aria-label={`Explain line ${row.line} ${when}`}
        >
          why
        </Button>
      </span>
    ),
  });
  const [who, what] = splitColumns(requestColumns<ChangeRow>());
  return [...who, side('before'), side('after'), ...what];
}

/** What is requested can be long, so the two sides come before it. */
function splitColumns(columns: Column<ChangeRow>[]): [Column<ChangeRow>[], Column<ChangeRow>[]] {
  const first = columns.findIndex(({ id }) => id === 'request');
  return [columns.slice(0, first), columns.slice(first)];
}
