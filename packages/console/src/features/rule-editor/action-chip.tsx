import { parseRuleText } from '@jadefence/core/edit';
import { ACTIONS, describeAction, type Action } from '@jadefence/core/language';
import { useState } from 'react';
import { Button } from '../../components/button.js';
import { Chip } from '../../components/chip.js';
import { Choice } from '../../components/choice.js';
import { ActionFields } from './action-fields.js';
import { newAction, valuesOfAction, writeAction, type ActionValues } from './action-values.js';
import type { KnownNames } from './known.js';

const ACTION_TEXTS: Record<Action['kind'], string> = {
  allow: 'Allow',
  block: 'Block',
  redirect: 'Redirect',
  warn: 'Warn',
  passphrase: 'Require a passphrase',
  challenge: 'Challenge',
  limit: 'Limit the rate',
  throttle: 'Throttle bytes',
  tag: 'Tag',
  observe: 'Observe',
};

const EXPLANATIONS: Record<Action['kind'], string> = {
  allow: 'The request leaves this fence; later fences are still evaluated.',
  block: 'The request is stopped.',
  redirect: 'The request is stopped and sent to another address.',
  warn: 'The user sees a warning and may then continue for a while.',
  passphrase: 'The user has to enter a passphrase and may then continue for a while.',
  challenge: 'The browser of the user has to confirm once, and may then continue for a while.',
  limit: 'Requests beyond a number within a time are stopped.',
  throttle:
    'Bytes beyond a rate would wait; the request is never stopped, and evaluation continues with the next rule.',
  tag: 'Later rules can test the tag; evaluation continues with the next rule.',
  observe: 'The match is counted; evaluation continues with the next rule.',
};

export function ActionChip({
  action,
  known,
  onChange,
}: {
  action: Action;
  known: KnownNames;
  onChange: (action: Action) => void;
}) {
  const text = describeAction(action).replace(/,$/, '');
  return (
    <Chip text={text} label={`Action: ${text}`} look="action">
      {(close) => <ActionPicker action={action} known={known} onChange={onChange} onDone={close} />}
    </Chip>
  );
}

function ActionPicker({
  action,
  known,
  onChange,
  onDone,
}: {
  action: Action;
  known: KnownNames;
  /** Receives the action whenever it can be one. */
  onChange: (action: Action) => void;
  onDone: () => void;
}) {
  const [initial] = useState(action);
  const [values, setValues] = useState(() => valuesOfAction(action));
  const { rule, diagnostics } = readAction(values);
  const change = (changed: ActionValues): void => {
    setValues(changed);
    const read = readAction(changed);
    if (read.rule && read.diagnostics.length === 0) onChange(read.rule.action);
  };
  const problem = diagnostics[0];
  const isReady = rule !== undefined && !problem;
  return (
    <div className="grid grid-cols-[minmax(0,1fr)] gap-3">
      <Choice
        label="Action"
        value={values.kind}
        options={ACTIONS.map((kind) => ({ value: kind, text: ACTION_TEXTS[kind] }))}
        onChange={(kind) => change(kind === initial.kind ? valuesOfAction(initial) : newAction(kind))}
      />
      <p className="text-muted">{EXPLANATIONS[values.kind]}</p>
      <ActionFields values={values} known={known} onChange={(changed) => change({ ...values, ...changed })} />
      {isReady ? (
        <p className="rounded-lg bg-sunken px-3 py-2">{describeAction(rule.action).replace(/,$/, '')}</p>
      ) : (
        <p role="alert" className="text-blocked">
          {problem?.message} {problem?.hint}
        </p>
      )}
      <Button look="primary" className="justify-self-end" disabled={!isReady} onClick={onDone}>
        Done
      </Button>
    </div>
  );
}

function readAction(values: ActionValues): ReturnType<typeof parseRuleText> {
  return parseRuleText(`rule r ${writeAction(values)} when always`);
}
