import type { Condition } from '@jadefence/core/language';

/** The path of a part in a condition: the index at each level, from the outside. */
export type Path = readonly number[];

/** The condition with a part replaced, or taken out; undefined where nothing is left. */
export function replaceAt(condition: Condition, path: Path, by: Condition | undefined): Condition | undefined {
  const [index, ...rest] = path;
  if (index === undefined) return by;
  if (condition.kind === 'not') {
    const part = replaceAt(condition.part, rest, by);
    return part && { ...condition, part };
  }
  if (condition.kind !== 'and' && condition.kind !== 'or') return condition;
  const parts = condition.parts.flatMap((part, at) => (at === index ? (replaceAt(part, rest, by) ?? []) : [part]));
  return parts.length <= 1 ? parts[0] : { ...condition, parts };
}

/** The condition with one more part behind the others. */
export function join(condition: Condition, word: 'and' | 'or', part: Condition): Condition {
  if (condition.kind === 'always') return part;
  if (condition.kind === word) return { ...condition, parts: [...condition.parts, part] };
  return { kind: word, parts: [condition, part] };
}

/** A comparison as the parts that a picker holds. */
export interface ComparisonDraft {
  readonly field: string;
  readonly parameter: string;
  readonly operator: string;
  readonly isAnyCase: boolean;
  /** As they are written. */
  readonly values: readonly string[];
}

/** As it is written in fence text; it may have errors. */
export function writeComparison({ field, parameter, operator, isAnyCase, values }: ComparisonDraft): string {
  const name = parameter === '' ? '' : ` ${JSON.stringify(parameter)}`;
  const takesNone = operator === 'present' || operator === 'absent';
  return `${field}${name} ${operator}${isAnyCase ? ' anycase' : ''}${takesNone ? '' : ` ${values.join(', ')}`}`;
}
