import { parseRuleText } from '@jadefence/core/edit';
import { ACTIONS, describeAction, printAction, type Action } from '@jadefence/core/language';
import { useState } from 'react';
import { Button } from '../../components/button.js';
import { Chip } from '../../components/chip.js';
import { Choice } from '../../components/choice.js';
import { TextField } from '../../components/text-field.js';
import type { KnownNames } from './known.js';

/** A good way to begin with each action. */
const TEMPLATES: Record<(typeof ACTIONS)[number], string> = {
  allow: 'allow',
  block: 'block',
  redirect: 'redirect "https://www.example/closed"',
  warn: 'warn for 30m',
  passphrase: 'passphrase visitors for 30m',
  challenge: 'challenge for 30m',
  limit: 'limit 20 per 5m by client then block 429 for 10m',
  tag: 'tag staff',
  observe: 'observe',
};

const SHAPES: Record<(typeof ACTIONS)[number], string> = {
  allow: 'allow, or allow outright: then no later fence is evaluated',
  block: 'block [STATUS] [page NAME]',
  redirect: 'redirect "URL" [STATUS]',
  warn: 'warn [page NAME] [for DURATION]',
  passphrase: 'passphrase NAME [page NAME] [for DURATION]',
  challenge: 'challenge [for DURATION]',
  limit: 'limit N per DURATION by KEYS [across gates] [then block STATUS] [for DURATION]',
  tag: 'tag NAME, ...',
  observe: 'observe: it is counted, nothing else',
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
      {(close) => (
        <ActionPicker
          action={action}
          known={known}
          onApply={(changed) => {
            onChange(changed);
            close();
          }}
        />
      )}
    </Chip>
  );
}

function ActionPicker({
  action,
  known,
  onApply,
}: {
  action: Action;
  known: KnownNames;
  onApply: (action: Action) => void;
}) {
  const [text, setText] = useState(printAction(action));
  const kind = ACTIONS.find((item) => text.trim().startsWith(item)) ?? action.kind;
  const { rule, diagnostics } = parseRuleText(`rule r ${text} when always`);
  const problem = diagnostics[0];
  return (
    <div className="grid gap-3">
      <Choice
        label="Action"
        value={kind}
        options={ACTIONS.map((item) => ({ value: item, text: item }))}
        onChange={(item) => setText(TEMPLATES[item])}
      />
      <TextField
        label={SHAPES[kind]}
        value={text}
        onChange={(event) => setText(event.target.value)}
        problem={problem ? `${problem.message} ${problem.hint ?? ''}` : undefined}
        className="font-mono"
      />
      {known.pages.length > 0 && <p className="text-muted">Pages: {known.pages.join(', ')}</p>}
      <Button
        look="primary"
        className="justify-self-end"
        disabled={!rule || diagnostics.length > 0}
        onClick={() => rule && onApply(rule.action)}
      >
        Apply
      </Button>
    </div>
  );
}
