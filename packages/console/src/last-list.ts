/** The list whose entries were changed last, remembered in this browser. */
const KEY = 'jade-last-list';

export function rememberList(name: string): void {
  localStorage.setItem(KEY, name);
}

export function lastList(): string | null {
  return localStorage.getItem(KEY);
}
