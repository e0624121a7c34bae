import type { DraftRule } from '@jadefence/contract';
import { useCallback, useEffect, useMemo, useRef, useState } from 'react';
import type { RuleActions } from './rule-row.js';

const NONE: ReadonlySet<string> = new Set();

/** The rules of a fence that are selected, of those that are shown; `select` stays the same function. */
export function useSelection(shown: readonly DraftRule[]) {
  const [chosen, setChosen] = useState(NONE);
  const names = useRef<readonly string[]>([]);
  const last = useRef<string>(undefined);
  useEffect(() => {
    names.current = shown.map(({ name }) => name);
  }, [shown]);
  const select: RuleActions['select'] = useCallback((rule, isSelected, isRange) => {
    const range = isRange ? between(names.current, last.current, rule) : [rule];
    last.current = rule;
    setChosen((before) => {
      const after = new Set(before);
      for (const name of range)
        if (isSelected) after.add(name);
        else after.delete(name);
      return after;
    });
  }, []);
  // What is gone, or filtered out, is not selected any more.
  const selected = useMemo(
    () => (chosen.size === 0 ? chosen : new Set(shown.map(({ name }) => name).filter((name) => chosen.has(name)))),
    [chosen, shown],
  );
  const choose = useCallback((rules: readonly string[]) => setChosen(new Set(rules)), []);
  return { selected, select, choose };
}

/** From one of several names to another, in their order. */
function between(names: readonly string[], from: string | undefined, to: string): readonly string[] {
  const start = from === undefined ? -1 : names.indexOf(from);
  const end = names.indexOf(to);
  return start === -1 ? [to] : names.slice(Math.min(start, end), Math.max(start, end) + 1);
}
