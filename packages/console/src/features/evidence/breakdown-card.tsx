import type { BreakdownName, BreakdownSummary, ValueSummary } from '@jadefence/core/replay';
import { useState } from 'react';
import { Choice } from '../../components/choice.js';
import { Card, WideTable } from '../../components/layout.js';
import { formatCount, formatShare } from '../../format.js';

const TITLES: Readonly<Record<BreakdownName, string>> = {
  country: 'country of the client',
  category: 'category of the site',
  application: 'application',
  client: 'client',
  host: 'host',
  status: 'status in the log',
  hour: 'hour of the day (UTC)',
};
/** Those that a filter can test. */
const FILTERS: Partial<Record<BreakdownName, (value: string) => string>> = {
  ...Object.fromEntries(
    ['country', 'category', 'application', 'client', 'host'].map((field) => [
      field,
      (value: string) => `${field} = ${value}`,
    ]),
  ),
  status: (value) => `recorded status = ${value}`,
};
const SHOWN_VALUES = 10;

/** Requests by client, host and more, with the share that was stopped. @param onFilter makes a value the filter of the decisions @param isOfChanges all requests are changed ones, of which none is more stopped than another */
export function BreakdownCard({
  title,
  breakdowns,
  onFilter,
  isOfChanges = false,
}: {
  title: string;
  breakdowns: readonly BreakdownSummary[];
  onFilter?: (where: string) => void;
  isOfChanges?: boolean;
}) {
  const [name, setName] = useState<BreakdownName>(breakdowns[0]!.by);
  const breakdown = breakdowns.find(({ by }) => by === name) ?? breakdowns[0]!;
  const shown = breakdown.by === 'hour' ? breakdown.values : breakdown.values.slice(0, SHOWN_VALUES);
  const most = Math.max(...shown.map(({ requests }) => requests));
  const numOthers = breakdown.numValues - shown.length;
  return (
    <Card
      title={title}
      aside={
        <Choice
          label="By"
          value={breakdown.by}
          options={breakdowns.map(({ by }) => ({ value: by, text: TITLES[by] }))}
          onChange={setName}
        />
      }
    >
      <WideTable label={`Requests by ${TITLES[breakdown.by]}`}>
        <thead className="text-muted">
          <tr className="border-b border-line">
            <th scope="col" className="px-4 py-2 font-medium">
              {TITLES[breakdown.by]}
            </th>
            <th scope="col" className="px-2 py-2 text-right font-medium">
              requests
            </th>
            <th scope="col" className="w-2/5 px-2 py-2 font-medium">
              {isOfChanges ? (
                <span className="sr-only">as a bar</span>
              ) : (
                <>
                  <span className="mr-3 inline-flex items-center gap-1">
                    <span aria-hidden className="size-2.5 rounded-sm bg-blocked" /> stopped
                  </span>
                  <span className="inline-flex items-center gap-1">
                    <span aria-hidden className="size-2.5 rounded-sm bg-jade" /> not stopped
                  </span>
                </>
              )}
            </th>
            {!isOfChanges && (
              <th scope="col" className="px-4 py-2 text-right font-medium">
                stopped
              </th>
            )}
          </tr>
        </thead>
        <tbody>
          {shown.map((valueSummary) => (
            <ValueRow
              key={valueSummary.value}
              by={breakdown.by}
              one={valueSummary}
              most={most}
              onFilter={onFilter}
              isOfChanges={isOfChanges}
            />
          ))}
        </tbody>
      </WideTable>
      {numOthers > 0 && (
        <p className="px-4 py-3 text-sm text-muted">{formatCount(numOthers)} more with fewer requests.</p>
      )}
    </Card>
  );
}

function ValueRow({
  by,
  one: { value, requests, stopped },
  most,
  onFilter,
  isOfChanges,
}: {
  by: BreakdownName;
  one: ValueSummary;
  most: number;
  onFilter?: (where: string) => void;
  isOfChanges: boolean;
}) {
  const where = value.startsWith('(') ? undefined : FILTERS[by]?.(value);
  const share = (count: number): string => `${(count / most) * 100}%`;
  return (
    <tr className="border-b border-line last:border-b-0">
      <th scope="row" className="max-w-72 truncate px-4 py-1.5 text-left font-mono text-xs font-normal" title={value}>
        {onFilter && where !== undefined ? (
          <button
            type="button"
            onClick={() => onFilter(where)}
            className="text-jade underline-offset-2 hover:underline"
            title={`Show the decisions with ${where}`}
          >
            {value}
          </button>
        ) : (
          value
        )}
      </th>
      <td className="px-2 py-1.5 text-right tabular-nums">{formatCount(requests)}</td>
      <td className="px-2 py-1.5">
        <div aria-hidden className="flex h-2.5 gap-px">
          {!isOfChanges && <div className="rounded-l-sm bg-blocked" style={{ width: share(stopped) }} />}
          <div
            className={`rounded-r-sm ${isOfChanges ? 'bg-limited' : 'bg-jade'}`}
            style={{ width: share(isOfChanges ? requests : requests - stopped) }}
          />
        </div>
      </td>
      {!isOfChanges && (
        <td className="px-4 py-1.5 text-right whitespace-nowrap tabular-nums">
          {stopped === 0 ? (
            <span className="text-muted">none</span>
          ) : (
            `${formatCount(stopped)} (${formatShare(stopped / requests)})`
          )}
        </td>
      )}
    </tr>
  );
}
