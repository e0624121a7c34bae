import { useMutation } from '@tanstack/react-query';
import type { DecisionRow } from '@jadefence/contract';
import type { Outcome } from '@jadefence/core/language';
import { useEffect, useState } from 'react';
import { useAddressState, wholeOf, type AddressState } from '../../address-state.js';
import { hasProblem, service } from '../../api/client.js';
import { decisionsQuery } from '../../api/queries.js';
import { Button } from '../../components/button.js';
import { Choice } from '../../components/choice.js';
import { ColumnPicker, useColumns } from '../../components/columns.js';
import { Card } from '../../components/layout.js';
import { ErrorNotice, Loading } from '../../components/loaded.js';
import { HIDDEN_COLUMNS } from '../../components/request-columns.js';
import { WindowTable, WINDOW_ROWS, type Column } from '../../components/window-table.js';
import { writeCsv } from '../../csv.js';
import { formatCount } from '../../format.js';
import { saveFile } from '../../save-file.js';
import { DecisionActions } from '../evidence/decision-actions.js';
import { ExplanationPanel } from '../evidence/explanation-panel.js';
import { useRowWindow, type RowWindow } from '../evidence/row-window.js';
import { useSortedRows } from '../evidence/sorted-rows.js';
import { FilterBox } from './filter-box.js';
import { ChooseBox, SuggestFor, useChosenLines, type ChosenLines } from './chosen-lines.js';
import { filteringColumns } from './cell-filter.js';

const ADDRESS_DELAY_MS = 400;
/** Rows of a file; the command line writes them all. */
const MOST_SAVED = 10_000;
const SAVED_AT_ONCE = 1000;

interface Filter {
  readonly outcome?: Outcome;
  readonly where?: string;
}

function optionsOf(outcomes: readonly Outcome[]) {
  return [{ value: 'all' as const, text: 'all outcomes' }, ...outcomes.map((value) => ({ value, text: value }))];
}

/** What is shown, as one filter. */
function conditionOf(outcome: Outcome | undefined, where: string): string {
  if (!outcome) return where;
  return where === '' ? `outcome = ${outcome}` : `outcome = ${outcome} and (${where})`;
}

/** Every decision in the order of the log, of which those in view are on the page. */
export function DecisionTable({ replayId, outcomes }: { replayId: number; outcomes: readonly Outcome[] }) {
  const address = useAddressState();
  const { get, set } = address;
  const outcome = outcomes.find((candidate) => candidate === get('outcome'));
  const explained = wholeOf(get('row'));
  const where = get('where') ?? '';
  const filter = JSON.stringify({ ...(outcome ? { outcome } : {}), ...(where ? { where } : {}) });
  const [first, setFirst] = useFirstRow(address, filter);
  const pageOf = (text: string, offset: number, limit: number) =>
    decisionsQuery(replayId, { offset, limit, ...(JSON.parse(text) as Filter) });
  const inOrder = useRowWindow<DecisionRow>(filter, first, pageOf);
  const all = filteringColumns(where, (to) => set({ where: to, offset: undefined }));
  const { columns, shown: shownColumns, toggle } = useColumns('decisions', all, HIDDEN_COLUMNS);
  const { rows, sorting } = useSortedRows(inOrder, address, all, (...page) => pageOf(filter, ...page));
  const chosen = useChosenLines(address);
  const isBadFilter = hasProblem(rows.error, 'bad-filter');
  const { total = 0 } = rows;
  const top = Math.min(first, Math.max(0, total - 1));
  const opened = findRow(rows, top, total, explained);
  return (
    <Card
      title="Decisions"
      aside={
        <span className="flex flex-wrap items-center gap-2">
          <Choice
            label="Show"
            value={outcome ?? 'all'}
            options={optionsOf(outcomes)}
            onChange={(to) => set({ outcome: to === 'all' ? undefined : to, offset: undefined })}
          />
          <SuggestFor
            replayId={replayId}
            chosen={chosen}
            where={(where !== '' || outcome) && !isBadFilter ? conditionOf(outcome, where) : undefined}
          />
          <ColumnPicker all={all} shown={shownColumns} onToggle={toggle} />
          <SaveButton replayId={replayId} filter={JSON.parse(filter) as Filter} columns={columns} total={total} />
        </span>
      }
    >
      <FilterBox
        key={where}
        where={where}
        problem={isBadFilter ? rows.error?.message : undefined}
        onFilter={(to) => set({ where: to, offset: undefined })}
      />
      {rows.error && !isBadFilter && <ErrorNotice error={rows.error} />}
      {rows.total === undefined && !rows.error && <Loading />}
      {rows.total !== undefined && !isBadFilter && (
        <div aria-busy={rows.isStale} className={rows.isStale ? 'opacity-40' : ''}>
          {rows.isStale && <Looking />}
          <WindowTable
            nothing="no decisions"
            label="Decisions"
            columns={columns}
            total={total}
            first={top}
            rowAt={rows.rowAt}
            sorting={sorting}
            isOpen={({ row }) => row === explained}
            onFirst={setFirst}
            onOpen={({ row }) => set({ row }, true)}
            action={(row) => (
              <RowActions line={row.line} chosen={chosen} onExplain={() => set({ row: row.row }, true)} />
            )}
          />
        </div>
      )}
      <ExplanationPanel
        replayId={replayId}
        row={explained}
        shown={opened}
        actions={opened && <DecisionActions row={opened} onWhere={(to) => set({ where: to, offset: undefined })} />}
        onClose={() => set({ row: undefined }, true)}
      />
    </Card>
  );
}

/**
 * The row on top: kept here while it is scrolled, and in the address a moment later. Another filter, or the way back, begins
 * where the address has it.
 */
function useFirstRow({ get, set }: AddressState, filter: string): [first: number, setFirst: (first: number) => void] {
  const inAddress = wholeOf(get('offset')) ?? 0;
  const [first, setFirst] = useState(inAddress);
  const [seen, setSeen] = useState({ inAddress, filter });
  const [sent, setSent] = useState(inAddress);
  if (seen.inAddress !== inAddress || seen.filter !== filter) {
    setSeen({ inAddress, filter });
    // What was put there from here is no news.
    if (seen.filter !== filter || inAddress !== sent) setFirst(inAddress);
  }
  useEffect(() => {
    if (first === inAddress) return;
    const timer = setTimeout(() => {
      setSent(first);
      set({ offset: first || undefined }, true);
    }, ADDRESS_DELAY_MS);
    return () => clearTimeout(timer);
  }, [first, inAddress, set]);
  return [first, setFirst];
}

/** The explained row, where it is among those in view. */
function findRow(
  rows: RowWindow<DecisionRow>,
  first: number,
  total: number,
  explained: number | undefined,
): DecisionRow | undefined {
  for (let index = first; index < Math.min(total, first + WINDOW_ROWS); index += 1) {
    const row = rows.rowAt(index);
    if (row && row.row === explained) return row;
  }
  return undefined;
}

/** Saves what the filter leaves, with the columns that are shown. */
function SaveButton({
  replayId,
  filter,
  columns,
  total,
}: {
  replayId: number;
  filter: Filter;
  columns: readonly Column<DecisionRow>[];
  total: number;
}) {
  const save = useMutation({
    mutationFn: async () => {
      const rows: DecisionRow[] = [];
      while (rows.length < Math.min(total, MOST_SAVED)) {
        const page = await service.decisions(replayId, { offset: rows.length, limit: SAVED_AT_ONCE, ...filter });
        if (page.rows.length === 0) break;
        for (const row of page.rows) rows.push(row);
      }
      saveFile(`replay-${replayId}.csv`, writeCsv(columns, rows), 'text/csv');
    },
  });
  return (
    <Button
      size="small"
      disabled={total === 0 || save.isPending}
      title={total > MOST_SAVED ? `The first ${formatCount(MOST_SAVED)}; the command line writes all` : undefined}
      onClick={() => save.mutate()}
    >
      {save.error ? 'CSV failed: try again' : 'Save as CSV'}
    </Button>
  );
}

function RowActions({ line, chosen, onExplain }: { line: number; chosen: ChosenLines; onExplain: () => void }) {
  return (
    <span className="flex items-center gap-2">
      <ChooseBox line={line} chosen={chosen} />
      <WhyButton line={line} onExplain={onExplain} />
    </span>
  );
}

function WhyButton({ line, onExplain }: { line: number; onExplain: () => void }) {
  return (
    <button
      type="button"
      onClick={(event) => {
        event.stopPropagation();
        onExplain();
      }}
      aria-label={`Explain line ${line}`}
      className="rounded-md border border-line px-2 text-xs font-medium hover:bg-sunken"
    >
      why
    </button>
  );
}

/** The previous result is still shown. */
function Looking() {
  return (
    <p role="status" className="px-4 pt-3 text-sm">
      Looking for the decisions …
    </p>
  );
}
