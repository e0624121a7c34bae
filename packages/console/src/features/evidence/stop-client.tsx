import { useMutation, useQuery, useQueryClient } from '@tanstack/react-query';
import { ServiceError } from '@jadefence/contract';
import { useState } from 'react';
import { service } from '../../api/client.js';
import { stoppedClientsQuery } from '../../api/queries.js';
import { Button } from '../../components/button.js';
import { Choice } from '../../components/choice.js';
import { ErrorNotice } from '../../components/loaded.js';
import { TextField } from '../../components/text-field.js';
import { formatTime } from '../../format.js';

const UNTIL_RELEASED = 'until it is released';
const DURATIONS = [
  { value: '30m', text: 'for 30 minutes' },
  { value: '2h', text: 'for 2 hours' },
  { value: '1d', text: 'for a day' },
  { value: '7d', text: 'for 7 days' },
  { value: '', text: UNTIL_RELEASED },
];

/** Stops a client at every gate at once, and publishes just that; a client that is stopped is released. */
export function StopClient({ client }: { client: string }) {
  const [isOpen, setOpen] = useState(false);
  const stopped = useQuery(stoppedClientsQuery).data?.find((one) => one.client === client);
  if (stopped)
    return (
      <div className="flex flex-wrap items-center gap-2">
        <p role="status">
          {client} is stopped{' '}
          {stopped.untilUnixMs === undefined ? UNTIL_RELEASED : `until ${formatTime(stopped.untilUnixMs)}`}.
        </p>
        <ReleaseButton client={client} />
      </div>
    );
  if (!isOpen)
    return (
      <div>
        <Button size="small" onClick={() => setOpen(true)}>
          Stop this client now …
        </Button>
      </div>
    );
  return <StopForm client={client} onClose={() => setOpen(false)} />;
}

function StopForm({ client, onClose }: { client: string; onClose: () => void }) {
  const [duration, setDuration] = useState('2h');
  const [reason, setReason] = useState('');
  const queries = useQueryClient();
  const stop = useMutation({
    mutationFn: (isForced: boolean) =>
      service.stopClient({
        client,
        ...(duration === '' ? {} : { for: duration }),
        ...(reason.trim() === '' ? {} : { reason: reason.trim() }),
        ...(isForced ? { isForced } : {}),
      }),
    onSuccess: onClose,
    onSettled: () => queries.invalidateQueries(),
  });
  const code = stop.error instanceof ServiceError ? stop.error.problem?.code : undefined;
  const canForce = code === 'protected-stopped' || code === 'expectations-not-met';
  return (
    <form
      className="grid gap-2"
      onSubmit={(event) => {
        event.preventDefault();
        stop.mutate(false);
      }}
    >
      <div className="flex flex-wrap items-end gap-2">
        <Choice label={`Stop ${client}`} value={duration} options={DURATIONS} onChange={setDuration} />
        <TextField label="Reason" value={reason} onChange={(event) => setReason(event.target.value)} />
      </div>
      {stop.error && <ErrorNotice error={stop.error} />}
      <div className="flex flex-wrap items-center gap-2">
        <Button look="primary" type="submit" disabled={stop.isPending}>
          Stop it and publish
        </Button>
        {canForce && (
          <Button disabled={stop.isPending} onClick={() => stop.mutate(true)}>
            Stop it all the same
          </Button>
        )}
        <Button onClick={onClose}>Cancel</Button>
        <span className="text-muted">Only this is published.</span>
      </div>
    </form>
  );
}

export function ReleaseButton({ client }: { client: string }) {
  const queries = useQueryClient();
  const release = useMutation({
    mutationFn: () => service.releaseClient(client),
    onSettled: () => queries.invalidateQueries(),
  });
  return (
    <>
      <Button
        size="small"
        disabled={release.isPending}
        aria-label={`Release ${client}`}
        onClick={() => release.mutate()}
      >
        Release
      </Button>
      {release.error && <ErrorNotice error={release.error} />}
    </>
  );
}
