/** Sides of comparisons, and their groups, as commands name them. */
import { describeDecider, type Side } from '@jadefence/core/replay';
import { EXIT, Failure } from '../cli-error.js';

/** @throws Failure where there is no such group */
export function placeOf(group: number | undefined, numGroups: number): number | undefined {
  if (group === undefined) return undefined;
  if (group >= 1 && group <= numGroups) return group - 1;
  throw new Failure(
    `There is no group ${group}.`,
    EXIT.wrongInput,
    numGroups === 0 ? 'No request changes, so there are none.' : `They are numbered from 1 to ${numGroups}.`,
  );
}

export function describeSide(side: Omit<Side, 'reason'> & { readonly reason?: string }): string {
  const how = [side.status, side.reason].filter((part) => part !== undefined).join(' ');
  const to = side.redirect === undefined ? '' : ` to ${side.redirect}`;
  return `${side.outcome}${how === '' ? '' : ` ${how}`}${to} by ${describeDecider(side)}`;
}
