import type { Replay } from '@jadefence/contract';

/** What a replay is called: the name that a user gave it, else its number, and the log. */
export function replayTitle({ id, name, logName }: Pick<Replay, 'id' | 'name' | 'logName'>): string {
  return name === null ? `Replay ${id}: ${logName}` : `${name} (replay ${id} of ${logName})`;
}
