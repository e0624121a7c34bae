import { useMutation, useQuery, useQueryClient } from '@tanstack/react-query';
import type { Mask, Masking } from '@jadefence/contract';
import { MASK_METHODS, MASKED_FIELDS, printMaskedField, type MaskMethod } from '@jadefence/core/masking';
import { useState, type FormEvent } from 'react';
import { service } from '../../api/client.js';
import { maskingQuery } from '../../api/queries.js';
import { Button } from '../../components/button.js';
import { Choice } from '../../components/choice.js';
import { Card, WideTable } from '../../components/layout.js';
import { ErrorNotice, Loaded } from '../../components/loaded.js';
import { TextField } from '../../components/text-field.js';
import { formatTime } from '../../format.js';

const METHOD_TEXTS: Record<MaskMethod, string> = {
  hide: 'hidden, ***',
  shorten: 'shortened to /24 or /48',
  pseudonym: 'pseudonym, the same for the same value',
};
const NAMED: readonly string[] = ['header', 'query', 'cookie'];

/** Which fields of requests are masked in decisions, explanations and exports, and who sees true values. */
export function MaskingCard({ mayChange }: { mayChange: boolean }) {
  const masking = useQuery(maskingQuery);
  return (
    <Card title="Masking">
      <p className="px-4 pt-4 text-sm text-muted">
        Rules see true values. Decisions, explanations, exports, reports and filters show masked ones.
      </p>
      <Loaded query={masking}>
        {(state) => (
          <>
            <MaskTable masking={state} mayChange={mayChange} />
            {mayChange && <NewMask masks={state.masks} />}
            {mayChange && state.masks.length > 0 && <TrueValues masking={state} />}
          </>
        )}
      </Loaded>
    </Card>
  );
}

/** Replaces the masks; what is shown of requests is loaded again. */
function useSetMasks() {
  const client = useQueryClient();
  return useMutation({
    mutationFn: (masks: readonly Mask[]) => service.setMasking({ masks: [...masks] }),
    onSuccess: () => client.invalidateQueries(),
  });
}

function MaskTable({ masking: { masks }, mayChange }: { masking: Masking; mayChange: boolean }) {
  const set = useSetMasks();
  if (masks.length === 0) return <p className="px-4 pt-3 text-sm">Nothing is masked.</p>;
  return (
    <>
      <WideTable label="Masked fields">
        <thead className="text-muted">
          <tr className="border-b border-line">
            <th scope="col" className="px-4 py-2 font-medium">
              field
            </th>
            <th scope="col" className="px-4 py-2 font-medium">
              shown as
            </th>
            <th scope="col" className="px-4 py-2">
              <span className="sr-only">remove</span>
            </th>
          </tr>
        </thead>
        <tbody>
          {masks.map((mask) => (
            <tr key={printMaskedField(mask)} className="border-b border-line last:border-b-0">
              <td className="px-4 py-1.5 font-mono">{printMaskedField(mask)}</td>
              <td className="px-4 py-1.5">{METHOD_TEXTS[mask.method]}</td>
              <td className="px-4 py-1.5 text-right">
                {mayChange && (
                  <Button
                    size="small"
                    aria-label={`Remove the mask of ${printMaskedField(mask)}`}
                    disabled={set.isPending}
                    onClick={() => set.mutate(masks.filter((one) => one !== mask))}
                  >
                    Remove
                  </Button>
                )}
              </td>
            </tr>
          ))}
        </tbody>
      </WideTable>
      {set.error && <ErrorNotice error={set.error} />}
    </>
  );
}

function NewMask({ masks }: { masks: readonly Mask[] }) {
  const [field, setField] = useState<Mask['field']>('client');
  const [name, setName] = useState('');
  const [method, setMethod] = useState<MaskMethod>('shorten');
  const set = useSetMasks();
  const isAddress = field === 'client' || field === 'peer';
  const methods = MASK_METHODS.filter((one) => one !== 'shorten' || isAddress);
  const chosen = methods.includes(method) ? method : 'hide';
  const submit = (event: FormEvent): void => {
    event.preventDefault();
    const parameter = NAMED.includes(field) ? { parameter: name.trim() } : {};
    set.mutate([...masks, { field, ...parameter, method: chosen }], { onSuccess: () => setName('') });
  };
  return (
    <form onSubmit={submit} className="grid gap-3 p-4 text-sm">
      <div className="flex flex-wrap items-end gap-3">
        <Choice
          label="Field"
          value={field}
          options={MASKED_FIELDS.map((value) => ({ value, text: value }))}
          onChange={setField}
        />
        {NAMED.includes(field) && (
          <TextField
            label={`Name of the ${field === 'query' ? 'query parameter' : field}`}
            required
            maxLength={200}
            value={name}
            onChange={(event) => setName(event.target.value)}
          />
        )}
        <Choice
          label="Shown as"
          value={chosen}
          options={methods.map((value) => ({ value, text: METHOD_TEXTS[value] }))}
          onChange={setMethod}
        />
        <Button type="submit" disabled={set.isPending}>
          Add mask
        </Button>
      </div>
      {set.error && <ErrorNotice error={set.error} />}
    </form>
  );
}

const MINUTES = [
  { value: 15, text: 'for 15 minutes' },
  { value: 60, text: 'for an hour' },
  { value: 480, text: 'for 8 hours' },
];

/** True values in this session alone, for a while. */
function TrueValues({ masking: { isUnmasked, unmaskedUntil } }: { masking: Masking }) {
  const [minutes, setMinutes] = useState(15);
  const [reason, setReason] = useState('');
  const client = useQueryClient();
  const onSuccess = (): Promise<void> => client.invalidateQueries();
  const unmask = useMutation({ mutationFn: () => service.unmask({ minutes, reason: reason.trim() }), onSuccess });
  const mask = useMutation({ mutationFn: service.maskAgain, onSuccess });
  if (isUnmasked)
    return (
      <p role="status" className="flex flex-wrap items-center gap-3 border-t border-line p-4 text-sm">
        You see true values{unmaskedUntil && ` until ${formatTime(Date.parse(unmaskedUntil))}`}.
        <Button size="small" disabled={mask.isPending} onClick={() => mask.mutate()}>
          Mask again
        </Button>
      </p>
    );
  return (
    <form
      className="grid gap-3 border-t border-line p-4 text-sm"
      onSubmit={(event) => {
        event.preventDefault();
        unmask.mutate();
      }}
    >
      <div className="flex flex-wrap items-end gap-3">
        <TextField
          label="Why you need true values"
          required
          minLength={3}
          maxLength={500}
          className="min-w-64"
          value={reason}
          onChange={(event) => setReason(event.target.value)}
        />
        <Choice label="Time" value={minutes} options={MINUTES} onChange={setMinutes} />
        <Button type="submit" disabled={unmask.isPending}>
          Show true values
        </Button>
      </div>
      <p className="text-muted">Only you see them, in this session. The audit trail keeps the reason.</p>
      {unmask.error && <ErrorNotice error={unmask.error} />}
    </form>
  );
}
