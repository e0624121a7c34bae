import { ArrowDownIcon, ArrowUpIcon, PlusIcon, XMarkIcon } from '@heroicons/react/20/solid';
import { useQuery } from '@tanstack/react-query';
import { INSPECTION_FIELDS, type Inspection } from '@jadefence/core/language';
import { logsQuery } from '../../api/queries.js';
import { Button } from '../../components/button.js';
import { Choice } from '../../components/choice.js';
import { ConditionChips } from '../rule-editor/condition-chips.js';
import { useKnown, type KnownNames } from '../rule-editor/known.js';

/** Categories of sites whose contents concern the person alone. */
const LEFT_ALONE = ['health', 'finance', 'banking'];

type InspectRule = Inspection['rules'][number];

const WORDS = [
  { value: 'inspect', text: 'inspect' },
  { value: 'exempt', text: 'do not inspect' },
] as const;
const wordOf = (isInspected: boolean): (typeof WORDS)[number]['value'] => (isInspected ? 'inspect' : 'exempt');

/** Whether encrypted requests are looked into: the first rule that matches decides. */
export function InspectionFields({
  inspection,
  onChange,
}: {
  inspection: Inspection | undefined;
  onChange: (inspection: Inspection | undefined) => void;
}) {
  const log = useQuery(logsQuery()).data?.[0];
  const known = { ...useKnown(log?.id), fields: INSPECTION_FIELDS as readonly string[] };
  const { rules = [], otherwise = false } = inspection ?? {};
  const setRules = (changed: readonly InspectRule[]): void => onChange({ rules: changed, otherwise });
  const move = (from: number, to: number): void => {
    const others = rules.filter((_, index) => index !== from);
    setRules([...others.slice(0, to), rules[from]!, ...others.slice(to)]);
  };
  return (
    <fieldset className="grid gap-2">
      <legend className="text-sm font-medium">Encrypted requests</legend>
      <Choice
        label="Whether they are inspected"
        value={inspection ? 'rules' : 'log'}
        options={[
          { value: 'log', text: 'is in the log' },
          { value: 'rules', text: 'follows from these rules' },
        ]}
        onChange={(value) => onChange(value === 'log' ? undefined : firstRules(known.categories))}
      />
      {inspection && (
        <>
          {rules.map((rule, index) => (
            <RuleRow
              key={index}
              index={index}
              rule={rule}
              isLast={index === rules.length - 1}
              known={known}
              onChange={(changed) => setRules(rules.map((other, at) => (at === index ? changed : other)))}
              onMove={(to) => move(index, to)}
              onRemove={() => setRules(rules.filter((_, at) => at !== index))}
            />
          ))}
          <div className="flex flex-wrap items-center gap-4">
            <Button
              size="small"
              onClick={() => setRules([...rules, { isInspected: false, condition: { kind: 'always' } }])}
            >
              <PlusIcon aria-hidden className="size-4" />
              Add rule
            </Button>
            <Choice
              label="All others:"
              value={wordOf(otherwise)}
              options={WORDS}
              onChange={(word) => onChange({ rules, otherwise: word === 'inspect' })}
            />
          </div>
        </>
      )}
    </fieldset>
  );
}

const NO_PLACE = { file: '', line: 0, column: 0 };

/** Inspects all but what is best left alone, of the categories that there are. */
function firstRules(categories: readonly string[]): Inspection {
  const exempt = LEFT_ALONE.filter((name) => categories.includes(name));
  const condition: InspectRule['condition'] = {
    kind: 'comparison',
    field: 'category',
    operator: 'in',
    isNegated: false,
    isAnyCase: false,
    values: exempt.map((name) => ({ kind: 'word', name, place: NO_PLACE })),
    place: NO_PLACE,
  };
  return exempt.length === 0
    ? { rules: [], otherwise: false }
    : { rules: [{ isInspected: false, condition }], otherwise: true };
}

/** @param index the place among the rules, from 0 */
function RuleRow({
  index,
  rule,
  isLast,
  known,
  onChange,
  onMove,
  onRemove,
}: {
  index: number;
  rule: InspectRule;
  isLast: boolean;
  known: KnownNames;
  onChange: (rule: InspectRule) => void;
  onMove: (to: number) => void;
  onRemove: () => void;
}) {
  const number = index + 1;
  return (
    <div className="flex flex-wrap items-center gap-2 rounded-lg border border-line p-2 text-sm">
      <Choice
        label={`Rule ${number}`}
        value={wordOf(rule.isInspected)}
        options={WORDS}
        onChange={(word) => onChange({ ...rule, isInspected: word === 'inspect' })}
      />
      <ConditionChips
        condition={rule.condition}
        known={known}
        onChange={(condition) => onChange({ ...rule, condition })}
      />
      <span className="ml-auto flex gap-1">
        <Button
          size="small"
          aria-label={`Move rule ${number} up`}
          disabled={index === 0}
          onClick={() => onMove(index - 1)}
        >
          <ArrowUpIcon aria-hidden className="size-4" />
        </Button>
        <Button
          size="small"
          aria-label={`Move rule ${number} down`}
          disabled={isLast}
          onClick={() => onMove(index + 1)}
        >
          <ArrowDownIcon aria-hidden className="size-4" />
        </Button>
        <Button size="small" aria-label={`Remove rule ${number}`} onClick={onRemove}>
          <XMarkIcon aria-hidden className="size-4" />
        </Button>
      </span>
    </div>
  );
}
