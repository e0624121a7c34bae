import { DialogPanel, DialogTitle } from '@headlessui/react';
import { useQuery } from '@tanstack/react-query';
import type { Log, ReplayPolicy } from '@jadefence/contract';
import type { HeldBehaviour } from '@jadefence/core/decide';
import { useState, type FormEvent } from 'react';
import { draftQuery, revisionsQuery } from '../../api/queries.js';
import { Button } from '../../components/button.js';
import { Choice } from '../../components/choice.js';
import { InstantField } from '../../components/instant-field.js';
import { ErrorNotice } from '../../components/loaded.js';
import { Modal } from '../../components/modal.js';
import { TextField } from '../../components/text-field.js';
import { useStartReplay } from '../evidence/start-replay.js';

const COVERING_GATES = '';
const HELD = [
  { value: 'continue', text: 'continue: the user did what was required' },
  { value: 'stop', text: 'stop: the user did nothing' },
] as const satisfies readonly { value: HeldBehaviour; text: string }[];

/** A replay with all its options. */
export function ReplayForm({ log, onClose }: { log: Log; onClose: () => void }) {
  const draft = useQuery(draftQuery).data;
  const revisions = useQuery(revisionsQuery()).data ?? [];
  const [against, setAgainst] = useState<ReplayPolicy>('draft');
  const [gate, setGate] = useState(COVERING_GATES);
  const [fromUnixMs, setFrom] = useState<number>();
  const [toUnixMs, setTo] = useState<number>();
  const [held, setHeld] = useState<HeldBehaviour>('continue');
  const [name, setName] = useState('');
  const start = useStartReplay();
  const span = { min: log.fromUnixMs ?? undefined, max: log.toUnixMs ?? undefined };
  const submit = (event: FormEvent): void => {
    event.preventDefault();
    start.mutate({
      logId: log.id,
      against,
      held,
      fromUnixMs,
      toUnixMs,
      ...(gate === COVERING_GATES ? {} : { gate }),
      ...(name.trim() === '' ? {} : { name: name.trim() }),
    });
  };
  return (
    <Modal onClose={onClose}>
      <DialogPanel
        as="form"
        onSubmit={submit}
        className="mx-auto grid max-w-2xl gap-4 rounded-xl border border-line bg-surface p-4 shadow-2xl md:p-6"
      >
        <DialogTitle className="text-lg font-semibold">Replay {log.name}</DialogTitle>
        <TextField
          label="Name of the replay (optional)"
          value={name}
          maxLength={200}
          placeholder="before the sale"
          onChange={(event) => setName(event.target.value)}
        />
        <div className="flex flex-wrap gap-4">
          <Choice
            label="Against"
            value={against}
            options={[
              { value: 'draft' as ReplayPolicy, text: 'the draft' },
              ...revisions.map(({ number }) => ({ value: number as ReplayPolicy, text: `revision ${number}` })),
            ]}
            onChange={setAgainst}
          />
          <Choice
            label="Judged by"
            value={gate}
            options={[
              { value: COVERING_GATES, text: 'the gates that cover each request' },
              ...(draft?.gates ?? []).map((item) => ({ value: item.name, text: `gate ${item.name}, all requests` })),
            ]}
            onChange={setGate}
          />
        </div>
        <div className="grid gap-4 sm:grid-cols-2">
          <InstantField label="Only requests from" value={fromUnixMs} {...span} onChange={setFrom} />
          <InstantField label="and before" value={toUnixMs} {...span} onChange={setTo} />
        </div>
        <Choice label="After a warning, passphrase or challenge" value={held} options={HELD} onChange={setHeld} />
        {start.error && <ErrorNotice error={start.error} />}
        <div className="flex justify-end gap-2">
          <Button onClick={onClose}>Cancel</Button>
          <Button type="submit" look="primary" disabled={start.isPending}>
            Start replay
          </Button>
        </div>
      </DialogPanel>
    </Modal>
  );
}
