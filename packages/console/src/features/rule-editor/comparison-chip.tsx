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
  isOpened = false,
  onChange,
}: {
  comparison: Comparison;
  known: KnownNames;
  /** Its picker is open from the start. */
  isOpened?: boolean;
  /** Undefined takes it out. */
  onChange: (condition: Condition | undefined) => void;
}) {
  const text = describeCondition(comparison, NO_SIZES);
  return (
    <Chip text={text} label={`Condition: ${text}`} isOpened={isOpened}>
      {(close) => (
        <ComparisonPicker
          initial={draftOf(comparison)}
          known={known}
          onChange={onChange}
          doneText="Done"
          onDone={close}
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
          doneText="Add condition"
          onDone={(condition) => {
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

/** Fields that most rules are about, one press away. */
const FREQUENT_FIELDS = ['country', 'client', 'host', 'path', 'category', 'application'];

function ComparisonPicker({
  initial,
  known,
  onChange,
  doneText,
  onDone,
  onRemove,
}: {
  initial: ComparisonDraft;
  known: KnownNames;
  /** Receives the condition whenever it can be one. */
  onChange?: (condition: Condition) => void;
  doneText: string;
  onDone: (condition: Condition) => void;
  onRemove?: () => void;
}) {
  const [draft, setDraft] = useState(initial);
  const info = FIELD_INFOS.find(({ field }) => field === draft.field)!;
  const takesValues = takesValuesOf(draft);
  const takesOne = /^[=!<>]/.test(draft.operator);
  const { condition, diagnostics } = parseConditionText(writeComparison(draft));
  const isEmpty = takesValues && draft.values.length === 0;
  const change = (changed: ComparisonDraft): void => {
    setDraft(changed);
    if (takesValuesOf(changed) && changed.values.length === 0) return;
    const read = parseConditionText(writeComparison(changed));
    if (read.condition && read.diagnostics.length === 0) onChange?.(read.condition);
  };
  return (
    <div className="grid grid-cols-[minmax(0,1fr)] gap-3">
      <FieldChoice draft={draft} known={known} onChange={change} />
      {info.takesName && (
        <TextField
          label={`Name of the ${draft.field}`}
          value={draft.parameter}
          onChange={(event) => change({ ...draft, parameter: event.target.value })}
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
          onChange={(values) => change({ ...draft, values })}
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
        <Button look="primary" disabled={!condition || isEmpty} onClick={() => condition && onDone(condition)}>
          {doneText}
        </Button>
      </div>
    </div>
  );
}

function takesValuesOf({ operator }: ComparisonDraft): boolean {
  return operator !== 'present' && operator !== 'absent';
}

/** The field, the frequent ones at once, and how it is compared. */
function FieldChoice({
  draft,
  known,
  onChange,
}: {
  draft: ComparisonDraft;
  known: KnownNames;
  onChange: (draft: ComparisonDraft) => void;
}) {
  const info = FIELD_INFOS.find(({ field }) => field === draft.field)!;
  const options = fieldOptions(known);
  const changeField = (field: string): void => {
    const { operators } = FIELD_INFOS.find((fieldInfo) => fieldInfo.field === field)!;
    const operator = operators.includes('in') ? 'in' : operators[0]!;
    onChange({ field, parameter: '', operator, isAnyCase: false, values: [] });
  };
  return (
    <>
      <div className="flex flex-wrap gap-1" role="group" aria-label="Frequent fields">
        {FREQUENT_FIELDS.filter((field) => options.some(({ value }) => value === field)).map((field) => (
          <Button
            key={field}
            size="small"
            look={field === draft.field ? 'primary' : 'quiet'}
            aria-pressed={field === draft.field}
            onClick={() => field !== draft.field && changeField(field)}
          >
            {field}
          </Button>
        ))}
      </div>
      <div className="flex flex-wrap gap-3">
        <Choice label="Field" value={draft.field} options={options} onChange={changeField} />
        <Choice
          label="Operator"
          value={draft.operator}
          options={info.operators.map((operator) => ({ value: operator, text: operator }))}
          onChange={(operator) =>
            onChange({ ...draft, operator, values: /^[=!<>]/.test(operator) ? draft.values.slice(0, 1) : draft.values })
          }
        />
      </div>
    </>
  );
}
