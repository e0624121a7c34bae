import type { DecisionRow } from '@jadefence/contract';
import { decisionColumns } from '../../components/request-columns.js';
import type { Column } from '../../components/window-table.js';

/** What a press on a cell leaves: only requests with its value, or with shift all others. */
const CONDITIONS: Readonly<Record<string, (row: DecisionRow) => string | undefined>> = {
  client: ({ client }) => (client === null ? undefined : `client = ${client}`),
  country: ({ country }) => (country === null ? undefined : `country = ${country}`),
  host: ({ host }) => (host ? `host = ${host}` : undefined),
  outcome: ({ outcome }) => `outcome = ${outcome}`,
  decided: ({ fence, rule }) => (rule === undefined ? undefined : `rule = ${fence}/${rule}`),
};

/** The columns of decisions, whose cells narrow a filter. @param onWhere receives the filter with the value of a cell */
export function filteringColumns(where: string, onWhere: (where: string) => void): Column<DecisionRow>[] {
  const narrow = (condition: string): void =>
    onWhere(where === '' ? condition : `${bracketed(where)} and ${condition}`);
  return decisionColumns().map((column) => withFilter(column, narrow));
}

function withFilter(column: Column<DecisionRow>, onFilter: (condition: string) => void): Column<DecisionRow> {
  const conditionOf = CONDITIONS[column.id];
  if (!conditionOf) return column;
  const draw = column.cell ?? column.text;
  return {
    ...column,
    cell: (row) => {
      const condition = conditionOf(row);
      if (condition === undefined) return draw(row);
      return (
        <button
          type="button"
          tabIndex={-1}
          title={`Show only ${condition}; with shift, all others`}
          onClick={(event) => {
            event.stopPropagation();
            onFilter(event.shiftKey ? `not ${condition}` : condition);
          }}
          className="underline-offset-2 hover:underline"
        >
          {draw(row)}
        </button>
      );
    },
  };
}

/** A filter that can be joined with "and". */
function bracketed(where: string): string {
  return /\bor\b/.test(where) ? `(${where})` : where;
}
