import { useMutation, useQuery, useQueryClient } from '@tanstack/react-query';
import type { DatasetInfo, DatasetOwner } from '@jadefence/contract';
import { service } from '../../api/client.js';
import { datasetsQuery } from '../../api/queries.js';
import { Button } from '../../components/button.js';
import { Card, WideTable } from '../../components/layout.js';
import { ErrorNotice } from '../../components/loaded.js';
import { formatCount, formatMinute, zoneName } from '../../format.js';
import { EffectSentence } from './effect-sentence.js';

/** Everything of one kind that was imported, latest first: what is active, what waits for a yes, and what can be gone back to. */
export function DatasetsCard({ kind, title }: { kind: DatasetOwner; title: string }) {
  const datasets = (useQuery(datasetsQuery).data ?? []).filter((datasetInfo) => datasetInfo.kind === kind);
  const client = useQueryClient();
  const use = useMutation({
    mutationFn: ({ id, waitsFor }: DatasetInfo) => service.activateDataset(id, waitsFor !== null),
    onSettled: () => client.invalidateQueries({ predicate: ({ queryKey }) => queryKey[0] !== 'me' }),
  });
  if (datasets.length === 0) return null;
  return (
    <Card title={title}>
      {use.error && (
        <div className="p-4">
          <ErrorNotice error={use.error} />
        </div>
      )}
      <WideTable label={title}>
        <thead className="text-muted">
          <tr className="border-b border-line">
            {[`imported (${zoneName()})`, 'name', 'entries', 'state', ''].map((column) => (
              <th
                key={column}
                scope="col"
                className={`px-4 py-2 font-medium ${column === 'entries' ? 'text-right' : ''}`}
              >
                {column || <span className="sr-only">use</span>}
              </th>
            ))}
          </tr>
        </thead>
        <tbody>
          {datasets.map((dataset) => (
            <tr key={dataset.id} className="border-b border-line align-top last:border-b-0">
              <td className="px-4 py-2 whitespace-nowrap">{formatMinute(dataset.importedAt)}</td>
              <td className="px-4 py-2">
                {dataset.name}
                <span className="block font-mono text-xs text-muted">{dataset.sha256.slice(0, 12)}</span>
              </td>
              <td className="px-4 py-2 text-right">{formatCount(dataset.numEntries)}</td>
              <td className="max-w-md px-4 py-2">
                {stateOf(dataset)}
                <EffectSentence effect={dataset.effect} />
              </td>
              <td className="px-4 py-2 text-right">
                {!dataset.isActive && dataset.state === 'settled' && (
                  <Button size="small" disabled={use.isPending} onClick={() => use.mutate(dataset)}>
                    {dataset.waitsFor ? 'Yes, use it' : 'Use this one'}
                  </Button>
                )}
              </td>
            </tr>
          ))}
        </tbody>
      </WideTable>
    </Card>
  );
}

function stateOf({ isActive, state, waitsFor }: DatasetInfo): string {
  if (isActive) return 'Active.';
  if (state === 'checking') return 'Being replayed.';
  return waitsFor === null ? 'Kept.' : `Needs confirmation: ${waitsFor}`;
}
