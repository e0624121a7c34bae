import { useQuery } from '@tanstack/react-query';
import type { RuleUse } from '@jadefence/contract';
import { Link } from 'react-router';
import { useAddressState, wholeOf } from '../../address-state.js';
import { service } from '../../api/client.js';
import { Choice } from '../../components/choice.js';
import { Card, EmptyState, PageHeading, WideTable } from '../../components/layout.js';
import { Loaded } from '../../components/loaded.js';
import { formatCount, formatTime } from '../../format.js';

const DAYS = [7, 30, 90, 365];
const HEIGHT = 22;
const STEP = 8;

type Rule = RuleUse['rules'][number];

/** What each rule did in the replays of a period, what it costs, and whether an expectation decides it. */
export function RuleUsePage() {
  const { get, set } = useAddressState();
  const days = wholeOf(get('days')) ?? 30;
  const use = useQuery({
    queryKey: ['draft', 'rule-use', days],
    queryFn: () => service.ruleUse({ days }),
    retry: false,
  });
  return (
    <>
      <PageHeading
        title="Rule use"
        aside={
          <Choice
            label="Replays of the last"
            value={days}
            options={DAYS.map((value) => ({ value, text: `${value} days` }))}
            onChange={(value) => set({ days: value })}
          />
        }
      >
        How often each rule matched, replay by replay of different logs, when first and last, and which expectations
        hold it in place.
      </PageHeading>
      <Loaded query={use}>
        {(data) =>
          data.rules.length === 0 ? (
            <EmptyState title="No rules yet">
              Write some under{' '}
              <Link to="/fences" className="text-jade underline">
                Fences
              </Link>
              .
            </EmptyState>
          ) : (
            <Use use={data} />
          )
        }
      </Loaded>
    </>
  );
}

function Use({ use: { replays, rules, repeats } }: { use: RuleUse }) {
  const missing = rules.filter(
    ({ canDecide, expectations, decided }) => canDecide && expectations === 0 && decided === 0,
  );
  const costly = rules.filter(({ advice }) => advice !== undefined);
  return (
    <>
      <p className="mb-3 text-sm text-muted">
        {replays.length === 0
          ? 'No log was replayed in this time.'
          : `Over ${replays.map(({ logName }) => logName).join(', ')}.`}
      </p>
      <Card>
        <WideTable label="What rules did">
          <thead className="text-muted">
            <tr className="border-b border-line">
              {['rule', 'hits', 'by replay', 'first', 'last', 'decided', 'evaluated', 'expectations'].map((name) => (
                <th
                  key={name}
                  scope="col"
                  className={`px-4 py-1.5 font-medium whitespace-nowrap ${FIGURES.has(name) ? 'text-right' : ''}`}
                >
                  {name}
                </th>
              ))}
            </tr>
          </thead>
          <tbody>
            {rules.map((rule) => (
              <Row key={rule.rule} rule={rule} />
            ))}
          </tbody>
        </WideTable>
      </Card>
      {missing.length > 0 && (
        <Card title="Decided by nothing">
          <p className="p-4 text-sm">
            No expectation and no replayed request decided{' '}
            {missing.map(({ rule }, at) => (
              <span key={rule}>
                {at > 0 && ', '}
                <RuleLink rule={rule} />
              </span>
            ))}
            .
          </p>
        </Card>
      )}
      {costly.length > 0 && (
        <Card title="What costs much">
          <ul className="grid gap-1 p-4 text-sm">
            {costly.map(({ rule, advice, evaluations }) => (
              <li key={rule}>
                <RuleLink rule={rule} /> was evaluated {formatCount(evaluations)} times. {advice}
              </li>
            ))}
          </ul>
        </Card>
      )}
      {repeats.length > 0 && (
        <Card title="Expectations that repeat others">
          <ul className="grid gap-2 p-4 font-mono text-xs">
            {repeats.map(({ text, of }) => (
              <li key={text} className="wrap-anywhere">
                {text}
                <span className="block text-muted">comes out as: {of}</span>
              </li>
            ))}
          </ul>
        </Card>
      )}
    </>
  );
}

const FIGURES: ReadonlySet<string> = new Set(['hits', 'decided', 'evaluated', 'expectations']);

function RuleLink({ rule }: { rule: string }) {
  return (
    <Link
      to={`/fences?${new URLSearchParams({ text: rule.split('/')[1]! })}`}
      className="font-mono text-xs hover:underline"
    >
      {rule}
    </Link>
  );
}

function Row({ rule: one }: { rule: Rule }) {
  const hits = one.hits.reduce((sum, count) => sum + count, 0);
  const figure = (value: number) => <td className="px-4 py-1.5 text-right">{formatCount(value)}</td>;
  return (
    <tr className="border-b border-line last:border-b-0">
      <th scope="row" className="px-4 py-1.5 font-normal whitespace-nowrap">
        <RuleLink rule={one.rule} />
      </th>
      {figure(hits)}
      <td className="px-4 py-1.5">
        <Sparkline hits={one.hits} />
      </td>
      <td className="px-4 py-1.5 whitespace-nowrap text-muted">
        {one.firstHitUnixMs === undefined ? 'never' : formatTime(one.firstHitUnixMs)}
      </td>
      <td className="px-4 py-1.5 whitespace-nowrap text-muted">
        {one.lastHitUnixMs === undefined ? '' : formatTime(one.lastHitUnixMs)}
      </td>
      {figure(one.decided)}
      {figure(one.evaluations)}
      <td className={`px-4 py-1.5 text-right ${one.expectations === 0 ? 'text-muted' : ''}`}>
        {one.expectations === 0 ? 'none' : formatCount(one.expectations)}
      </td>
    </tr>
  );
}

/** A bar for each replay, against the most hits that the rule had in one. */
function Sparkline({ hits }: { hits: readonly number[] }) {
  const most = Math.max(1, ...hits);
  const label = hits.length === 0 ? 'no replay' : `hits by replay: ${hits.map(formatCount).join(', ')}`;
  return (
    <svg role="img" aria-label={label} width={Math.max(1, hits.length) * STEP} height={HEIGHT} className="fill-jade">
      <title>{label}</title>
      {hits.map((count, at) => {
        const height = count === 0 ? 1 : Math.max(3, (count / most) * HEIGHT);
        return <rect key={at} x={at * STEP} y={HEIGHT - height} width={STEP - 2} height={height} rx={1} />;
      })}
    </svg>
  );
}
