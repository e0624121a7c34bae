import { useMutation, useQuery, useQueryClient } from '@tanstack/react-query';
import type { DatasetOwner, SourceInfo } from '@jadefence/contract';
import { useState, type FormEvent } from 'react';
import { service } from '../../api/client.js';
import { sourcesQuery } from '../../api/queries.js';
import { Button } from '../../components/button.js';
import { Card } from '../../components/layout.js';
import { ErrorNotice } from '../../components/loaded.js';
import { TextField } from '../../components/text-field.js';
import { formatMinute, zoneName } from '../../format.js';

const MINUTES_AN_HOUR = 60;

/** Where a dataset is refreshed from, and how often; and doing it now. */
export function SourceCard({ kind, name }: { kind: DatasetOwner; name: string }) {
  const sources = useQuery(sourcesQuery).data;
  const source = sources?.find((sourceInfo) => sourceInfo.kind === kind && sourceInfo.name === name);
  const client = useQueryClient();
  const onSettled = (): Promise<void> => client.invalidateQueries({ queryKey: ['reference'] });
  const refresh = useMutation({
    mutationFn: async () => {
      const dataset = await service.refresh(kind, name);
      return dataset && service.settleDataset(dataset.id);
    },
    onSettled,
  });
  const stop = useMutation({ mutationFn: () => service.removeSource(kind, name), onSettled });
  if (!sources) return null;
  const error = refresh.error ?? stop.error;
  return (
    <Card title={name === '' ? 'Refresh' : `Refresh of ${name}`}>
      <div className="grid gap-3 p-4 text-sm">
        {source && (
          <div className="flex flex-wrap items-center justify-between gap-3">
            <p>
              From <span className="font-mono">{source.locations.join(', ')}</span>{' '}
              {describeInterval(source.everyMinutes)}
              {source.checkedAt && `, last checked ${formatMinute(source.checkedAt)} ${zoneName()}`}
              {source.failure && <span className="text-blocked">: {source.failure}</span>}
            </p>
            <div className="flex gap-2">
              <Button disabled={refresh.isPending} onClick={() => refresh.mutate()}>
                Refresh now
              </Button>
              <Button onClick={() => stop.mutate()}>Stop</Button>
            </div>
          </div>
        )}
        {refresh.isSuccess && (
          <p role="status">{refresh.data ? `It is ${refresh.data.name} now.` : 'It has not changed.'}</p>
        )}
        {error && <ErrorNotice error={error} />}
        <SourceForm
          key={source?.locations.join() ?? ''}
          kind={kind}
          name={name}
          source={source}
          onSettled={onSettled}
        />
      </div>
    </Card>
  );
}

function describeInterval(minutes: number): string {
  const hours = minutes / MINUTES_AN_HOUR;
  return hours >= 1 ? `every ${hours === 1 ? 'hour' : `${hours} hours`}` : `every ${minutes} minutes`;
}

function SourceForm({
  kind,
  name,
  source,
  onSettled,
}: {
  kind: DatasetOwner;
  name: string;
  source: SourceInfo | undefined;
  onSettled: () => Promise<void>;
}) {
  const [locations, setLocations] = useState(source?.locations.join(' ') ?? '');
  const [hours, setHours] = useState(String((source?.everyMinutes ?? 1440) / MINUTES_AN_HOUR));
  const put = useMutation({
    mutationFn: () =>
      service.putSource({
        kind,
        name,
        locations: locations.split(/\s+/).filter(Boolean),
        everyMinutes: Math.round(Number(hours) * MINUTES_AN_HOUR),
        ...(source?.category ? { category: source.category } : {}),
      }),
    onSettled,
  });
  const submit = (event: FormEvent): void => {
    event.preventDefault();
    put.mutate();
  };
  return (
    <form onSubmit={submit} className="grid gap-3">
      <div className="flex flex-wrap items-end gap-2">
        <TextField
          label="URLs, or paths below the service's folder for reference data"
          value={locations}
          required
          placeholder="https://data.example/countries.csv"
          onChange={(event) => setLocations(event.target.value)}
          className="min-w-64 grow"
        />
        <TextField
          label="Refresh every (hours)"
          type="number"
          min="1"
          value={hours}
          required
          onChange={(event) => setHours(event.target.value)}
          className="w-40"
        />
        <Button type="submit" disabled={put.isPending}>
          Save source
        </Button>
      </div>
      {put.error && <ErrorNotice error={put.error} />}
    </form>
  );
}
