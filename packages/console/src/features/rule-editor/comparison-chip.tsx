import { TrashIcon } from '@heroicons/react/20/solid';
import { FIELD_INFOS, parseConditionText } from '@jadefence/core/edit';
import { describeCondition, printValue, type Comparison, type Condition } from '@jadefence/core/language';
import { useState } from 'react';
import { Button } from '../../components/button.js';
import { Chip } from '../../components/chip.js';
import { Choice } from '../../components/choice.js';
import { MultiPick } from '../../components/multi-pick.js';
import { TextField } from '../../components/text-field.js';
import { writeComparison, type ComparisonDraft } from './condition-edit.js';
import { groupsFor, optionsFor, type KnownNames } from './known.js';

const NO_SIZES = new Map();

/** One comparison of a condition: its phrase, which opens the picker of its field, operator and values. */
export function ComparisonChip({
  comparison,
  known,
  onChange,
}: {
  comparison: Comparison;
  known: KnownNames;
  /** Undefined takes it out. */
  onChange: (condition: Condition | undefined) => void;
}) {
  const text = describeCondition(comparison, NO_SIZES);
  return (
    <Chip text={text} label={`Condition: ${text}`}>
      {(close) => (
        <ComparisonPicker
          initial={draftOf(comparison)}
          known={known}
          onApply={(condition) => {
            onChange(condition);
            close();
          }}
          onRemove={() => {
            onChange(undefined);
            close();
          }}
        />
      )}
    </Chip>
  );
}

function draftOf({ field, parameter = '', operator, isNegated, isAnyCase, values }: Comparison): ComparisonDraft {
  const negated: Record<string, string> = { '=': '!=', 'in': 'not in', 'present': 'absent' };
  return {
    field,
    parameter,
    operator: isNegated ? (negated[operator] ?? operator) : operator,
    isAnyCase,
    values: values.map((value) => printValue(value)),
  };
}

/** A chip that adds a comparison. */
export function NewComparisonChip({
  text,
  known,
  onAdd,
}: {
  text: string;
  known: KnownNames;
  onAdd: (condition: Condition) => void;
}) {
  return (
    <Chip text={text} label={`Add a condition: ${text}`} look="missing">
      {(close) => (
        <ComparisonPicker
          initial={{ field: 'country', parameter: '', operator: 'in', isAnyCase: false, values: [] }}
          known={known}
          onApply={(condition) => {
            onAdd(condition);
            close();
          }}
        />
      )}
    </Chip>
  );
}

function fieldOptions({ fields }: KnownNames): { value: string; text: string }[] {
  return FIELD_INFOS.filter(({ field }) => !fields || fields.includes(field)).map(({ field }) => ({
    value: field,
    text: field,
  }));
}

function ComparisonPicker({
  initial,
  known,
  onApply,
  onRemove,
}: {
  initial: ComparisonDraft;
  known: KnownNames;
  onApply: (condition: Condition) => void;
  onRemove?: () => void;
}) {
  const [draft, setDraft] = useState(initial);
  const info = FIELD_INFOS.find(({ field }) => field === draft.field)!;
  const takesValues = draft.operator !== 'present' && draft.operator !== 'absent';
  const takesOne = /^[=!<>]/.test(draft.operator);
  const { condition, diagnostics } = parseConditionText(writeComparison(draft));
  const isEmpty = takesValues && draft.values.length === 0;
  const changeField = (field: string): void => {
    const { operators } = FIELD_INFOS.find((fieldInfo) => fieldInfo.field === field)!;
    const operator = operators.includes('in') ? 'in' : operators[0]!;
    setDraft({ field, parameter: '', operator, isAnyCase: false, values: [] });
  };
  return (
    <div className="grid gap-3">
      <div className="flex flex-wrap gap-3">
        <Choice label="Field" value={draft.field} options={fieldOptions(known)} onChange={changeField} />
        <Choice
          label="Operator"
          value={draft.operator}
          options={info.operators.map((operator) => ({ value: operator, text: operator }))}
          onChange={(operator) =>
            setDraft({ ...draft, operator, values: /^[=!<>]/.test(operator) ? draft.values.slice(0, 1) : draft.values })
          }
        />
      </div>
      {info.takesName && (
        <TextField
          label={`Name of the ${draft.field}`}
          value={draft.parameter}
          onChange={(event) => setDraft({ ...draft, parameter: event.target.value })}
        />
      )}
      {takesValues && (
        <MultiPick
          label={takesOne ? 'Value' : 'Values'}
          isSingle={takesOne}
          options={optionsFor(info, draft.operator, known)}
          groups={groupsFor(info)}
          isClosed={info.field === 'country' || info.field === 'server country'}
          values={draft.values}
          onChange={(values) => setDraft({ ...draft, values })}
        />
      )}
      {!isEmpty && diagnostics[0] && (
        <p role="alert" className="text-blocked">
          {diagnostics[0].message} {diagnostics[0].hint}
        </p>
      )}
      <div className="flex justify-between gap-2">
        {onRemove ? (
          <Button onClick={onRemove}>
            <TrashIcon aria-hidden className="size-4" />
            Remove
          </Button>
        ) : (
          <span />
        )}
        <Button look="primary" disabled={!condition || isEmpty} onClick={() => condition && onApply(condition)}>
          Apply
        </Button>
      </div>
    </div>
  );
}
