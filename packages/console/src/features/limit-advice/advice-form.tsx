import type { Draft, Log } from '@jadefence/contract';
import { parseRuleText } from '@jadefence/core/edit';
import { useState, type FormEvent } from 'react';
import { Button } from '../../components/button.js';
import { Choice } from '../../components/choice.js';
import { DurationField } from '../../components/duration-field.js';
import { Card } from '../../components/layout.js';
import { TextField } from '../../components/text-field.js';

/** What advice is about; empty where it is not chosen. */
export interface AdviceValues {
  /** As `fence/name`; or else the rest. */
  readonly rule: string;
  readonly by: string;
  readonly within: string;
  readonly when: string;
  readonly gate: string;
  readonly spare: string;
}

interface Props {
  readonly logs: readonly Log[];
  readonly logId: number;
  readonly values: AdviceValues;
  readonly fences: Draft['fences'];
  readonly gates: readonly string[];
  /** Of addresses. */
  readonly lists: readonly string[];
  readonly onSubmit: (values: AdviceValues, logId: number) => void;
}

/** A limit of the draft, or one that there is not yet, and the log that it is looked at with. */
export function AdviceForm({ logs, logId, values, fences, gates, lists, onSubmit }: Props) {
  const [log, setLog] = useState(logId);
  const [chosen, setChosen] = useState<AdviceValues>({
    ...values,
    by: values.by || 'client',
    within: values.within || '5m',
  });
  const set = (change: Partial<AdviceValues>): void => setChosen({ ...chosen, ...change });
  const limits = fences.flatMap((fence) =>
    fence.rules
      .filter(({ text }) => parseRuleText(text).rule?.action.kind === 'limit')
      .map(({ name }) => `${fence.name}/${name}`),
  );
  const submit = (event: FormEvent): void => {
    event.preventDefault();
    const { rule, spare } = chosen;
    onSubmit(rule === '' ? chosen : { rule, spare, by: '', within: '', when: '', gate: '' }, log);
  };
  return (
    <Card>
      <form onSubmit={submit} className="grid gap-4 p-4">
        <div className="flex flex-wrap items-center gap-4">
          <Choice
            label="Log"
            value={log}
            options={logs.map(({ id, name }) => ({ value: id, text: name }))}
            onChange={setLog}
          />
          <Choice
            label="Limit"
            value={chosen.rule}
            options={[{ value: '', text: 'a new one' }, ...limits.map((id) => ({ value: id, text: id }))]}
            onChange={(rule) => set({ rule })}
          />
          <Choice
            label="Spare the clients of"
            value={chosen.spare}
            options={[{ value: '', text: 'no list' }, ...lists.map((name) => ({ value: name, text: name }))]}
            onChange={(spare) => set({ spare })}
          />
          <Button look="primary" type="submit" className="ml-auto">
            Show advice
          </Button>
        </div>
        {chosen.rule === '' && (
          <div className="grid items-start gap-4 sm:grid-cols-[1fr_auto_2fr_auto]">
            <TextField
              label="Counted by"
              required
              placeholder="client, method"
              value={chosen.by}
              onChange={(event) => set({ by: event.target.value })}
            />
            <DurationField label="Within" value={chosen.within} onChange={(within) => set({ within })} />
            <TextField
              label="Only requests where (optional)"
              placeholder="path under /login"
              value={chosen.when}
              onChange={(event) => set({ when: event.target.value })}
            />
            <div className="sm:mt-6">
              <Choice
                label="At"
                value={chosen.gate}
                options={[{ value: '', text: 'all gates' }, ...gates.map((name) => ({ value: name, text: name }))]}
                onChange={(gate) => set({ gate })}
              />
            </div>
          </div>
        )}
      </form>
    </Card>
  );
}
