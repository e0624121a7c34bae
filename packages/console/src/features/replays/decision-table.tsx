import { useQuery } from '@tanstack/react-query';
import type { DecisionRow } from '@jadefence/contract';
import type { Outcome } from '@jadefence/core/language';
import { useState, type FormEvent } from 'react';
import { hasProblem } from '../../api/client.js';
import { decisionsQuery } from '../../api/queries.js';
import { Button } from '../../components/button.js';
import { Choice } from '../../components/choice.js';
import { Card, WideTable } from '../../components/layout.js';
import { Loaded } from '../../components/loaded.js';
import { Pager } from '../../components/pager.js';
import { REQUEST_COLUMNS, RequestCells } from '../../components/request-cells.js';
import { OutcomeLabel } from '../../components/outcome.js';
import { TextField } from '../../components/text-field.js';
import { ExplanationPanel } from '../evidence/explanation-panel.js';

const PAGE_ROWS = 25;
const COLUMNS = [...REQUEST_COLUMNS, 'outcome', 'decided by'];

/** Every decision in the order of the log, a page at a time. */
export function DecisionTable({
  replayId,
  outcomes,
  where,
  onWhere,
}: {
  replayId: number;
  outcomes: readonly Outcome[];
  where: string;
  onWhere: (where: string) => void;
}) {
  const [filter, setFilter] = useState<Outcome | 'all'>('all');
  const [shownPage, setPage] = useState({ where, offset: 0 });
  // Another filter begins with its first page.
  const offset = shownPage.where === where ? shownPage.offset : 0;
  const setOffset = (to: number): void => setPage({ where, offset: to });
  const [explained, setExplained] = useState<DecisionRow>();
  const page = useQuery(
    decisionsQuery(replayId, {
      offset,
      limit: PAGE_ROWS,
      ...(filter === 'all' ? {} : { outcome: filter }),
      ...(where ? { where } : {}),
    }),
  );
  const options = [
    { value: 'all' as const, text: 'all outcomes' },
    ...outcomes.map((outcome) => ({ value: outcome, text: outcome })),
  ];
  const changeFilter = (value: Outcome | 'all'): void => {
    setFilter(value);
    setOffset(0);
  };
  return (
    <Card title="Decisions" aside={<Choice label="Show" value={filter} options={options} onChange={changeFilter} />}>
      <FilterBox
        key={where}
        where={where}
        problem={page.error && hasProblem(page.error, 'bad-filter') ? page.error.message : undefined}
        onFilter={onWhere}
      />
      {!hasProblem(page.error, 'bad-filter') && (
        <Loaded query={page}>
          {({ rows, total, offset: shownOffset }) => (
            <div aria-busy={page.isPlaceholderData} className={page.isPlaceholderData ? 'opacity-40' : ''}>
              {page.isPlaceholderData && <Looking />}
              <WideTable label="Decisions">
                <thead className="text-muted">
                  <tr className="border-b border-line">
                    {COLUMNS.map((column) => (
                      <th key={column} scope="col" className="px-3 py-2 font-medium first:pl-4">
                        {column}
                      </th>
                    ))}
                    <th scope="col" className="px-3 py-2">
                      <span className="sr-only">explanation</span>
                    </th>
                  </tr>
                </thead>
                <tbody>
                  {rows.map((row) => (
                    <Row key={row.row} row={row} onExplain={() => setExplained(row)} />
                  ))}
                </tbody>
              </WideTable>
              <Pager
                offset={shownOffset}
                numShown={rows.length}
                total={total}
                pageRows={PAGE_ROWS}
                nothing="no decisions"
                onOffset={setOffset}
              />
            </div>
          )}
        </Loaded>
      )}
      <ExplanationPanel replayId={replayId} row={explained} onClose={() => setExplained(undefined)} />
    </Card>
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

function Row({ row, onExplain }: { row: DecisionRow; onExplain: () => void }) {
  return (
    <tr onClick={onExplain} className="cursor-pointer border-b border-line last:border-b-0 hover:bg-sunken">
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
