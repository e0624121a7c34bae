import { useQuery } from '@tanstack/react-query';
import type { DecisionRow } from '@jadefence/contract';
import type { Outcome } from '@jadefence/core/language';
import { useEffect, useRef, type FormEvent } from 'react';
import { useAddressState, wholeOf } from '../../address-state.js';
import { hasProblem } from '../../api/client.js';
import { decisionsQuery } from '../../api/queries.js';
import { Button } from '../../components/button.js';
import { Choice } from '../../components/choice.js';
import { Card, WideTable } from '../../components/layout.js';
import { Loaded } from '../../components/loaded.js';
import { Pager } from '../../components/pager.js';
import { requestColumns, RequestCells } from '../../components/request-cells.js';
import { OutcomeLabel } from '../../components/outcome.js';
import { TextField } from '../../components/text-field.js';
import { ExplanationPanel } from '../evidence/explanation-panel.js';
import { DecisionActions } from './decision-actions.js';

const PAGE_ROWS = 25;
const columns = (): string[] => [...requestColumns(), 'outcome', 'decided by'];

/** Every decision in the order of the log, a page at a time. */
export function DecisionTable({ replayId, outcomes }: { replayId: number; outcomes: readonly Outcome[] }) {
  const { get, set } = useAddressState();
  const offset = wholeOf(get('offset')) ?? 0;
  const outcome = outcomes.find((candidate) => candidate === get('outcome'));
  const explained = wholeOf(get('row'));
  const where = get('where') ?? '';
  const page = useQuery(
    decisionsQuery(replayId, {
      offset,
      limit: PAGE_ROWS,
      ...(outcome ? { outcome } : {}),
      ...(where ? { where } : {}),
    }),
  );
  const shown = page.data?.rows.find(({ row }) => row === explained);
  const options = [
    { value: 'all' as const, text: 'all outcomes' },
    ...outcomes.map((outcome) => ({ value: outcome, text: outcome })),
  ];
  return (
    <Card
      title="Decisions"
      aside={
        <Choice
          label="Show"
          value={outcome ?? 'all'}
          options={options}
          onChange={(to) => set({ outcome: to === 'all' ? undefined : to, offset: undefined })}
        />
      }
    >
      <FilterBox
        key={where}
        where={where}
        problem={page.error && hasProblem(page.error, 'bad-filter') ? page.error.message : undefined}
        onFilter={(to) => set({ where: to, offset: undefined })}
      />
      {!hasProblem(page.error, 'bad-filter') && (
        <Loaded query={page}>
          {({ rows, total, offset: shownOffset }) => (
            <div aria-busy={page.isPlaceholderData} className={page.isPlaceholderData ? 'opacity-40' : ''}>
              {page.isPlaceholderData && <Looking />}
              <Rows rows={rows} explained={explained} onExplain={(row) => set({ row }, true)} />
              <Pager
                offset={shownOffset}
                numShown={rows.length}
                total={total}
                pageRows={PAGE_ROWS}
                nothing="no decisions"
                onOffset={(to) => set({ offset: to || undefined })}
              />
            </div>
          )}
        </Loaded>
      )}
      <ExplanationPanel
        replayId={replayId}
        row={explained}
        shown={shown}
        actions={shown && <DecisionActions row={shown} onWhere={(to) => set({ where: to, offset: undefined })} />}
        onClose={() => set({ row: undefined }, true)}
      />
    </Card>
  );
}

function Rows({
  rows,
  explained,
  onExplain,
}: {
  rows: readonly DecisionRow[];
  explained: number | undefined;
  onExplain: (row: number) => void;
}) {
  return (
    <WideTable label="Decisions">
      <thead className="text-muted">
        <tr className="border-b border-line">
          {columns().map((column) => (
            <th key={column} scope="col" className="px-3 py-1.5 font-medium first:pl-4">
              {column}
            </th>
          ))}
          <th scope="col" className="px-3 py-1.5">
            <span className="sr-only">explanation</span>
          </th>
        </tr>
      </thead>
      <tbody>
        {rows.map((row) => (
          <Row key={row.row} row={row} isExplained={row.row === explained} onExplain={() => onExplain(row.row)} />
        ))}
      </tbody>
    </WideTable>
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

/** A condition of the fence language over requests and their decisions; applied on Enter. */
function FilterBox({
  where,
  problem,
  onFilter,
}: {
  where: string;
  problem?: string;
  onFilter: (where: string) => void;
}) {
  const submit = (event: FormEvent<HTMLFormElement>): void => {
    event.preventDefault();
    onFilter(String(new FormData(event.currentTarget).get('where')).trim());
  };
  return (
    <form onSubmit={submit} className="flex items-start gap-2 border-b border-line px-4 py-3">
      <TextField
        label="Filter"
        name="where"
        defaultValue={where}
        className="grow"
        spellCheck={false}
        autoComplete="off"
        placeholder="rule = house/touts and not path under /login"
        problem={problem}
      />
      <Button type="submit" className="mt-6">
        Apply
      </Button>
    </form>
  );
}

function Row({ row, isExplained, onExplain }: { row: DecisionRow; isExplained: boolean; onExplain: () => void }) {
  const line = useRef<HTMLTableRowElement>(null);
  // The page is narrower next to the panel, and this row elsewhere.
  useEffect(() => {
    if (isExplained) line.current?.scrollIntoView({ block: 'nearest' });
  }, [isExplained]);
  return (
    <tr
      ref={line}
      onClick={onExplain}
      className={`cursor-pointer border-b border-line last:border-b-0 ${isExplained ? 'bg-jade-soft' : 'hover:bg-sunken'}`}
    >
      <RequestCells request={row} />
      <td className="px-3 py-1.5">
        <OutcomeLabel outcome={row.outcome} />
      </td>
      <td className="px-3 py-1.5 font-mono text-xs">{decidedBy(row)}</td>
      <td className="px-3 py-1.5">
        <Button
          size="small"
          onClick={(event) => {
            event.stopPropagation();
            onExplain();
          }}
          aria-label={`Explain line ${row.line}`}
        >
          why
        </Button>
      </td>
    </tr>
  );
}

function decidedBy({ gate, fence, rule }: DecisionRow): string {
  if (rule !== undefined) return `${fence}/${rule}`;
  if (fence !== undefined) return `${fence} otherwise`;
  return gate === undefined ? 'no gate' : `${gate} otherwise`;
}
