import type { Condition } from '@jadefence/core/language';
import { ComparisonChip, NewComparisonChip } from './comparison-chip.js';
import { join, replaceAt, type Path } from './condition-edit.js';
import type { KnownNames } from './known.js';

/** A condition as phrases, with its parentheses. */
export function ConditionChips({
  condition,
  known,
  isOpened = false,
  onChange,
}: {
  condition: Condition;
  known: KnownNames;
  /** Of a new rule: the picker of its one comparison is open from the start. */
  isOpened?: boolean;
  onChange: (condition: Condition) => void;
}) {
  const replace = (path: Path, by: Condition | undefined): void =>
    onChange(replaceAt(condition, path, by) ?? { kind: 'always' });
  return (
    <>
      {condition.kind === 'always' ? <span>always</span> : <span>when</span>}
      {condition.kind !== 'always' && (
        <Part condition={condition} path={[]} known={known} isOpened={isOpened} onReplace={replace} />
      )}
      <NewComparisonChip
        text={condition.kind === 'always' ? 'when …' : 'and …'}
        known={known}
        onAdd={(part) => onChange(join(condition, 'and', part))}
      />
      {condition.kind !== 'always' && (
        <NewComparisonChip text="or …" known={known} onAdd={(part) => onChange(join(condition, 'or', part))} />
      )}
    </>
  );
}

function Part({
  condition,
  path,
  known,
  isOpened = false,
  onReplace,
}: {
  condition: Condition;
  path: Path;
  known: KnownNames;
  isOpened?: boolean;
  onReplace: (path: Path, by: Condition | undefined) => void;
}) {
  switch (condition.kind) {
    case 'always':
      return <span>always</span>;
    case 'comparison':
      return (
        <ComparisonChip
          comparison={condition}
          known={known}
          isOpened={isOpened}
          onChange={(by) => onReplace(path, by)}
        />
      );
    case 'not':
      return (
        <>
          <span>not</span>
          <Part condition={condition.part} path={[...path, 0]} known={known} onReplace={onReplace} />
        </>
      );
    case 'and':
    case 'or':
      return (
        <>
          {path.length > 0 && <span aria-hidden>(</span>}
          {condition.parts.map((part, index) => (
            <span key={index} className="contents">
              {index > 0 && <span>{condition.kind}</span>}
              <Part condition={part} path={[...path, index]} known={known} onReplace={onReplace} />
            </span>
          ))}
          {path.length > 0 && <span aria-hidden>)</span>}
        </>
      );
  }
}
