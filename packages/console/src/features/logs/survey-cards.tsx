import type { Survey } from '@jadefence/core/survey';
import { useState } from 'react';
import { useNavigate } from 'react-router';
import { Button } from '../../components/button.js';
import { Card, WideTable } from '../../components/layout.js';
import { countOf, formatCount, formatShare, formatTime, zoneName } from '../../format.js';
import { ImportFences } from '../import/import-fences.js';

type Busy = Survey['busiestClients'][number];
type Distinct = Survey['clients'];

const formatDistinct = ({ count, isExact }: Distinct): string => `${isExact ? '' : 'about '}${formatCount(count)}`;
const formatBusy = ({ requests, isExact }: Busy): string => `${isExact ? '' : 'at least '}${formatCount(requests)}`;

/** What a log holds before there are any rules, and three rules to begin from. */
export function SurveyCards({ survey }: { survey: Survey }) {
  const facts = [
    ['clients', survey.clients],
    ['hosts', survey.hosts],
    ['paths', survey.paths],
  ] as const;
  return (
    <>
      <dl className="mb-6 grid grid-cols-3 gap-3">
        {facts.map(([name, count]) => (
          <div key={name} className="rounded-xl border border-line bg-surface px-4 py-3 shadow-sm">
            <dt className="text-muted">{name}</dt>
            <dd className="mt-1 text-2xl font-semibold tabular-nums">{formatDistinct(count)}</dd>
          </div>
        ))}
      </dl>
      <StarterCard survey={survey} />
      <OriginCard survey={survey} />
      <div className="grid items-start gap-x-6 lg:grid-cols-2">
        <Card title="Busiest clients">
          <Figures
            label="Busiest clients"
            head={['client', 'requests', 'share']}
            rows={survey.busiestClients
              .slice(0, 10)
              .map((busiestClient) => [
                busiestClient.value,
                formatBusy(busiestClient),
                formatShare(busiestClient.requests / survey.requests),
              ])}
          />
        </Card>
        <Card title="Busiest paths">
          <Figures
            label="Busiest paths"
            head={['path', 'requests', 'share']}
            rows={survey.busiestPaths
              .slice(0, 10)
              .map((busiestPath) => [
                busiestPath.value,
                formatBusy(busiestPath),
                formatShare(busiestPath.requests / survey.requests),
              ])}
          />
        </Card>
        <Card title="Most within a minute">
          <Figures
            label="Bursts"
            head={['client', 'requests', `minute (${zoneName()})`]}
            rows={survey.bursts.map((burst) => [
              burst.client,
              formatCount(burst.requests),
              formatTime(burst.minuteUnixMs).slice(0, 16),
            ])}
          />
        </Card>
        <Card title="Methods and statuses">
          <Figures
            label="Methods and statuses"
            head={['answer', 'requests', 'share']}
            rows={[...survey.methods, ...survey.statuses].map((busyValue) => [
              busyValue.value,
              formatBusy(busyValue),
              formatShare(busyValue.requests / survey.requests),
            ])}
          />
        </Card>
      </div>
    </>
  );
}

/** Whether the addresses are those of clients, and from which countries. */
function OriginCard({ survey }: { survey: Survey }) {
  return (
    <Card title="Client addresses">
      <div className="p-4 text-sm">
        {survey.proxySigns.length === 0 ? (
          <p>No sign of a proxy in front: the addresses look like those of the clients.</p>
        ) : (
          <p>
            Signs of a proxy in front, so that the log may show the proxy for the client: {survey.proxySigns.join('; ')}
            .
          </p>
        )}
      </div>
      {survey.countries && (
        <Figures
          label="Countries"
          head={['country', 'requests', 'share', 'clients']}
          rows={survey.countries
            .slice(0, 12)
            .map((country) => [
              country.country,
              formatCount(country.requests),
              formatShare(country.requests / survey.requests),
              formatDistinct(country.clients),
            ])}
        />
      )}
    </Card>
  );
}

function StarterCard({ survey: { starter } }: { survey: Survey }) {
  const navigate = useNavigate();
  const [isImporting, setImporting] = useState(false);
  if (starter.rules.length === 0) return null;
  return (
    <Card
      title="Suggested rules"
      aside={
        <Button size="small" onClick={() => setImporting(true)}>
          Put them into the draft
        </Button>
      }
    >
      {isImporting && (
        <ImportFences
          given={{ fenceFiles: [{ path: 'starter.fence', text: starter.text }], namedFiles: [] }}
          onClose={(isDone) => (isDone ? void navigate('/fences') : setImporting(false))}
        />
      )}
      <ul>
        {starter.rules.map((rule) => (
          <li key={rule.name} className="border-b border-line px-4 py-3 last:border-b-0">
            <code className="font-mono text-sm">{rule.text}</code>
            <p className="mt-1 text-sm text-muted">
              {rule.wouldStop === null
                ? 'limits each client'
                : `would have stopped ${rule.isExact ? '' : 'at least '}${countOf(rule.wouldStop, 'request')}`}
              : {rule.because}
            </p>
          </li>
        ))}
      </ul>
      <details className="border-t border-line px-4 py-3 text-sm">
        <summary className="cursor-pointer font-medium">As a fence file, with a gate for the hosts of this log</summary>
        <pre className="mt-2 overflow-x-auto rounded-lg bg-sunken p-3 font-mono text-xs" tabIndex={0}>
          {starter.text}
        </pre>
      </details>
    </Card>
  );
}

function Figures({
  label,
  head,
  rows,
}: {
  label: string;
  head: readonly string[];
  rows: readonly (readonly string[])[];
}) {
  return (
    <WideTable label={label}>
      <thead className="text-muted">
        <tr className="border-b border-line">
          {head.map((title, column) => (
            <th key={title} scope="col" className={`px-4 py-2 font-medium ${column > 0 ? 'text-right' : ''}`}>
              {title}
            </th>
          ))}
        </tr>
      </thead>
      <tbody>
        {rows.map((cells) => (
          <tr key={cells[0]} className="border-b border-line last:border-b-0">
            {cells.map((cell, column) => (
              <td key={head[column]} className={`px-4 py-1.5 ${column > 0 ? 'text-right' : 'font-mono text-xs'}`}>
                {cell}
              </td>
            ))}
          </tr>
        ))}
      </tbody>
    </WideTable>
  );
}
