import { formatWait } from '@jadefence/core/replay';
import { formatTime, zoneName } from '../format.js';
import { OutcomeLabel } from './outcome.js';
import type { Column } from './window-table.js';
import type { DecisionRow } from '@jadefence/contract';

/** What tables of requests show of one. */
export type RequestRow = Pick<
  DecisionRow,
  'line' | 'atUnixMs' | 'client' | 'country' | 'requested' | 'method' | 'host' | 'path' | 'record'
>;

const MONO = 'font-mono text-xs';

/** The columns of a request in a table: which it is, when, from whom, and for what. */
export function requestColumns<R extends RequestRow>(): Column<R>[] {
  const attribute = (id: string, title: string, name: string): Column<R> => ({
    id,
    title,
    className: `${MONO} max-w-72 truncate`,
    text: ({ record }) => textOf(record[name]),
  });
  return [
    { id: 'line', title: 'line', className: 'text-muted tabular-nums', text: ({ line }) => String(line) },
    {
      id: 'time',
      title: `time (${zoneName()})`,
      className: 'tabular-nums',
      text: ({ atUnixMs }) => formatTime(atUnixMs),
    },
    { id: 'client', title: 'client', className: MONO, text: ({ client }) => client ?? 'none' },
    { id: 'country', title: 'country', text: ({ country }) => country ?? 'unknown' },
    {
      id: 'request',
      title: 'request',
      className: `${MONO} max-w-72 truncate`,
      text: ({ requested }) => requested || '–',
      cell: ({ requested }) => <span title={requested}>{requested || '–'}</span>,
    },
    { id: 'method', title: 'method', className: MONO, text: ({ method }) => method ?? '' },
    { id: 'host', title: 'host', className: MONO, text: ({ host }) => host ?? '' },
    { id: 'path', title: 'path', className: `${MONO} max-w-72 truncate`, text: ({ path }) => path ?? '' },
    attribute('recorded', 'recorded status', 'http.response.status_code'),
    attribute('agent', 'agent', 'user_agent.original'),
    attribute('user', 'user', 'user.name'),
  ];
}

/** Those that are not shown unless they are chosen. */
export const HIDDEN_COLUMNS = ['method', 'host', 'path', 'recorded', 'agent', 'user', 'wait'];

function textOf(value: unknown): string {
  return typeof value === 'string' || typeof value === 'number' ? String(value) : '';
}

/** The columns of a decision. */
export function decisionColumns(): Column<DecisionRow>[] {
  return [
    ...requestColumns<DecisionRow>(),
    {
      id: 'outcome',
      title: 'outcome',
      text: ({ outcome }) => outcome,
      cell: ({ outcome }) => <OutcomeLabel outcome={outcome} />,
    },
    { id: 'decided', title: 'decided by', className: MONO, text: decidedBy },
    { id: 'wait', title: 'would wait', className: 'tabular-nums', text: longestWait },
  ];
}

/** Throttles of one request let its bytes pass side by side, so that the slowest decides. */
function longestWait({ waitsMs = [] }: DecisionRow): string {
  return waitsMs.length === 0 ? '' : formatWait(Math.max(...waitsMs));
}

function decidedBy({ gate, fence, rule }: DecisionRow): string {
  if (rule !== undefined) return `${fence}/${rule}`;
  if (fence !== undefined) return `${fence} otherwise`;
  return gate === undefined ? 'no gate' : `${gate} otherwise`;
}
