import { NAME, type Rule } from '@jadefence/core/language';
import { useState } from 'react';
import { TextField } from '../../components/text-field.js';

const NOTES = [
  { key: 'title', label: 'Title', placeholder: 'what people call it' },
  { key: 'owner', label: 'Owner', placeholder: 'who answers for it' },
  { key: 'reason', label: 'Reason', placeholder: 'why it is there' },
] as const;

/** What a rule is called, who answers for it, and why it is there. */
export function RuleFields({ rule, onChange }: { rule: Rule; onChange: (rule: Rule) => void }) {
  return (
    <div className="mt-4 grid gap-3 sm:grid-cols-2">
      {/* A name that the text changes begins anew. */}
      <NameField key={rule.name} name={rule.name} onChange={(name) => onChange({ ...rule, name })} />
      {NOTES.map(({ key, label, placeholder }) => (
        <TextField
          key={key}
          label={label}
          value={rule[key] ?? ''}
          placeholder={placeholder}
          onChange={(event) => {
            const { [key]: _, ...rest } = rule;
            onChange(event.target.value === '' ? rest : { ...rest, [key]: event.target.value });
          }}
        />
      ))}
    </div>
  );
}

/** Taken over when the field is left, since half a name is often none. */
function NameField({ name, onChange }: { name: string; onChange: (name: string) => void }) {
  const [written, setWritten] = useState(name);
  const isName = NAME.test(written);
  const take = (): void => {
    if (isName && written !== name) onChange(written);
  };
  return (
    <TextField
      label="Name"
      value={written}
      problem={isName ? undefined : 'Expected a small letter, then small letters, digits and hyphens.'}
      onChange={(event) => setWritten(event.target.value)}
      onBlur={take}
      onKeyDown={(event) => event.key === 'Enter' && take()}
    />
  );
}
