import { RULE_STATES, type Rule } from '@jadefence/core/language';
import { Chip } from '../../components/chip.js';
import { Choice } from '../../components/choice.js';
import { Button } from '../../components/button.js';
import { TextField } from '../../components/text-field.js';
import { ActionChip } from './action-chip.js';
import { ConditionChips } from './condition-chips.js';
import type { KnownNames } from './known.js';

const STATE_TEXTS = { on: 'On', trial: 'On trial', off: 'Off' } as const;

/** The sentence of a rule, each phrase a chip that opens its own picker. */
export function RuleChips({
  rule,
  known,
  isNew,
  onChange,
}: {
  rule: Rule;
  known: KnownNames;
  isNew: boolean;
  onChange: (rule: Rule) => void;
}) {
  return (
    <div className="flex flex-wrap items-center gap-x-1.5 gap-y-2" role="group" aria-label="The rule as a sentence">
      <Chip text={STATE_TEXTS[rule.state]} label={`State: ${STATE_TEXTS[rule.state]}`}>
        {(close) => (
          <div className="flex gap-2">
            {RULE_STATES.map((state) => (
              <Button
                key={state}
                look={state === rule.state ? 'primary' : 'quiet'}
                onClick={() => {
                  onChange({ ...rule, state });
                  close();
                }}
              >
                {STATE_TEXTS[state]}
              </Button>
            ))}
          </div>
        )}
      </Chip>
      <span aria-hidden>:</span>
      <ActionChip action={rule.action} known={known} onChange={(action) => onChange({ ...rule, action })} />
      <ConditionChips
        condition={rule.condition}
        known={known}
        isOpened={isNew}
        onChange={(condition) => onChange({ ...rule, condition })}
      />
      <HoursChip rule={rule} known={known} onChange={onChange} />
      <EndChip rule={rule} onChange={onChange} />
      <UnknownChip rule={rule} onChange={onChange} />
    </div>
  );
}

type Hours = 'none' | `during ${string}` | `outside ${string}`;

function HoursChip({ rule, known, onChange }: { rule: Rule; known: KnownNames; onChange: (rule: Rule) => void }) {
  const { hours } = rule;
  const value: Hours = hours ? `${hours.isOutside ? 'outside' : 'during'} ${hours.schedule.name}` : 'none';
  const options = [
    { value: 'none' as Hours, text: 'at all hours' },
    ...known.schedules.flatMap((name) =>
      (['during', 'outside'] as const).map((word) => ({ value: `${word} ${name}` as Hours, text: `${word} ${name}` })),
    ),
  ];
  const choose = (chosen: Hours): void => {
    const { hours: _, ...rest } = rule;
    const [word, name] = chosen.split(' ');
    onChange(
      name === undefined
        ? rest
        : { ...rest, hours: { isOutside: word === 'outside', schedule: { name, place: rule.place } } },
    );
  };
  return (
    <Chip text={hours ? value : 'at all hours'} label={`Hours: ${value}`} look={hours ? 'plain' : 'missing'}>
      {() =>
        known.schedules.length === 0 ? (
          <p className="text-muted">The draft has no schedule yet: add one under Schedules.</p>
        ) : (
          <Choice label="Hours" value={value} options={options} onChange={choose} />
        )
      }
    </Chip>
  );
}

function EndChip({ rule, onChange }: { rule: Rule; onChange: (rule: Rule) => void }) {
  const { until, ...rest } = rule;
  const date = until?.kind === 'date' ? until.date : until ? new Date(until.atUnixMs).toISOString().slice(0, 10) : '';
  return (
    <Chip
      text={until ? `until ${date}` : 'without end'}
      label={`End: ${date || 'none'}`}
      look={until ? 'plain' : 'missing'}
    >
      {() => (
        <TextField
          label="Expires on"
          type="date"
          value={date}
          onChange={(event) =>
            onChange(event.target.value === '' ? rest : { ...rest, until: { kind: 'date', date: event.target.value } })
          }
        />
      )}
    </Chip>
  );
}

function UnknownChip({ rule, onChange }: { rule: Rule; onChange: (rule: Rule) => void }) {
  const text = rule.matchesUnknown ? 'also when unknown' : 'only where this is known';
  return (
    <Chip text={text} label={`Where it cannot be known: ${text}`} look={rule.matchesUnknown ? 'plain' : 'missing'}>
      {(close) => (
        <div className="grid gap-2">
          <p className="text-muted">
            A condition is unknown if the log does not hold, or encryption hides, a field that it tests.
          </p>
          <Button
            onClick={() => {
              onChange({ ...rule, matchesUnknown: !rule.matchesUnknown });
              close();
            }}
          >
            {rule.matchesUnknown ? 'Match only where it is known' : 'Match also where it is not known'}
          </Button>
        </div>
      )}
    </Chip>
  );
}
