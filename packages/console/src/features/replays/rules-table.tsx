import { countWouldStop, type FenceSummary, type RuleSummary } from '@jadefence/core/replay';
import { Hits } from '../../components/hits.js';
import { Card, WideTable } from '../../components/layout.js';
import { StateBadge } from '../../components/state-badge.js';
import { formatCount } from '../../format.js';

/** What each rule did, in the order in which requests meet them. */
export function RulesTable({
  fences,
  onFilter,
}: {
  fences: readonly FenceSummary[];
  onFilter: (where: string) => void;
}) {
  const most = Math.max(0, ...fences.flatMap((fence) => fence.rules.map((rule) => rule.hits)));
  return (
    <Card title="Rules">
      <WideTable label="Rules">
        <thead className="text-muted">
          <tr className="border-b border-line">
            <th scope="col" className="px-4 py-2 font-medium">
              rule
            </th>
            <th scope="col" className="px-2 py-2 font-medium">
              what it does
            </th>
            <th scope="col" className="px-2 py-2 font-medium">
              hits
            </th>
            <th scope="col" className="px-4 py-2 text-right font-medium">
              effect
            </th>
          </tr>
        </thead>
        <tbody>
          {fences.flatMap((fence) =>
            fence.rules.map((rule) => (
              <tr key={`${fence.fence}/${rule.rule}`} className="border-b border-line last:border-b-0">
                <th scope="row" className="px-4 py-2 align-top font-mono font-normal whitespace-nowrap">
                  <span className="text-muted">{fence.fence}/</span>
                  {rule.rule}
                </th>
                <td className="min-w-64 px-2 py-2 align-top">{rule.sentence}</td>
                <td className="px-2 py-2 align-top">
                  <Hits hits={rule.hits} most={most} lastHitUnixMs={rule.lastHitUnixMs} />
                </td>
                <td className="px-4 py-2 text-right align-top whitespace-nowrap">
                  <Effect fence={fence} rule={rule} onFilter={onFilter} />
                </td>
              </tr>
            )),
          )}
        </tbody>
      </WideTable>
    </Card>
  );
}

interface Props {
  readonly fence: FenceSummary;
  readonly rule: RuleSummary;
  readonly onFilter: (where: string) => void;
}

function Effect({ fence, rule, onFilter }: Props) {
  const id = `${fence.fence}/${rule.rule}`;
  const isTrial = fence.mode === 'trial' || rule.state === 'trial';
  return (
    <>
      {rule.state === 'off' && <StateBadge state="off" />}
      {isTrial && rule.state !== 'off' && (
        <>
          <StateBadge state="trial" />{' '}
          {!rule.throttle &&
            (rule.would.allowed
              ? `would allow ${formatCount(rule.would.allowed)}`
              : `would stop ${formatCount(countWouldStop(rule))}`)}
        </>
      )}
      {!isTrial &&
        rule.state !== 'off' &&
        !rule.throttle &&
        (rule.decided > 0 ? (
          <button
            type="button"
            onClick={() => onFilter(`rule = ${id}`)}
            className="text-jade underline-offset-2 hover:underline"
          >
            decided {formatCount(rule.decided)}
          </button>
        ) : (
          <span className="text-muted">decided none</span>
        ))}
      {rule.throttle && (
        <button
          type="button"
          onClick={() => onFilter(`throttled = ${id}`)}
          className="text-jade underline-offset-2 hover:underline"
        >
          delays {formatCount(rule.throttle.delayed)}
        </button>
      )}
      {rule.blind > 0 && (
        <span className="block text-limited">
          blind on {formatCount(rule.blind)}
          {rule.blindFields?.length ? `: ${rule.blindFields.join(', ')} unknown` : ''}
        </span>
      )}
    </>
  );
}
