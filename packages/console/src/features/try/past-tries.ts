import type { Outcome } from '@jadefence/core/language';
import { useState } from 'react';
import type { TryValues } from './try-values.js';

/** A request that was tried, and what came of it then. */
export interface PastTry {
  readonly values: TryValues;
  readonly outcome: Outcome;
}

const KEY = 'jade-tries';
const MOST = 20;

/** What was tried in this tab, the latest first. */
export function useTries() {
  const [all, setAll] = useState<readonly PastTry[]>(read);
  const keep = (tries: readonly PastTry[]): void => {
    sessionStorage.setItem(KEY, JSON.stringify(tries));
    setAll(tries);
  };
  return {
    all,
    add: (values: TryValues, outcome: Outcome): void => {
      const text = JSON.stringify(values);
      keep([{ values, outcome }, ...all.filter((past) => JSON.stringify(past.values) !== text)].slice(0, MOST));
    },
    clear: (): void => keep([]),
  };
}

function read(): readonly PastTry[] {
  try {
    return JSON.parse(sessionStorage.getItem(KEY) ?? '[]') as PastTry[];
  } catch {
    return [];
  }
}
