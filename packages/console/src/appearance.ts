import { useSyncExternalStore } from 'react';

/** How this browser shows the console. */
export interface Appearance {
  readonly theme: 'system' | 'light' | 'dark';
  readonly times: 'utc' | 'local';
  /** Of rules: a line each, or as long as their sentences are. */
  readonly rows: 'lines' | 'whole';
}

const KEY = 'jade-appearance';
const DEFAULT: Appearance = { theme: 'system', times: 'utc', rows: 'lines' };
const listeners = new Set<() => void>();
let current = read();

function read(): Appearance {
  try {
    return { ...DEFAULT, ...(JSON.parse(localStorage.getItem(KEY) ?? '{}') as Partial<Appearance>) };
  } catch {
    return DEFAULT;
  }
}

/** What is chosen now; a change is shown by what uses `useAppearance`. */
export function appearance(): Appearance {
  return current;
}

export function setAppearance(change: Partial<Appearance>): void {
  current = { ...current, ...change };
  localStorage.setItem(KEY, JSON.stringify(current));
  applyTheme();
  for (const listener of listeners) listener();
}

export function useAppearance(): Appearance {
  return useSyncExternalStore((listener) => {
    listeners.add(listener);
    return () => listeners.delete(listener);
  }, appearance);
}

/** Every colour follows the scheme of the document. */
export function applyTheme(): void {
  document.documentElement.style.colorScheme = current.theme === 'system' ? '' : current.theme;
}
