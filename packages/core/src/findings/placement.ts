/** Where a rule would have to be so that it decides about what it matches. */
import type { Edit } from '../edit/edit.js';
import type { Rulebook } from '../check/rulebook.js';
import type { Finding } from './finding.js';

export interface Placement {
  /** Rules that decide before it, as `fence/rule`. */
  readonly takenBy: readonly string[];
  /** The rule of its fence above which it would have to be; absent where it is where it should be, or other fences decide. */
  readonly above?: string;
  /** The edit that moves it there. */
  readonly edit?: Edit;
}

/**
 * @param findings of a review of these rules
 * @returns undefined if there is no such rule
 */
export function findPlacement(
  findings: readonly Finding[],
  rulebook: Rulebook,
  fence: string,
  rule: string,
): Placement | undefined {
  const rules = rulebook.fences.find(({ name }) => name === fence)?.rules ?? [];
  const at = rules.findIndex(({ name }) => name === rule);
  if (at === -1) return undefined;
  const about = findings.filter(
    (finding) =>
      finding.rule === `${fence}/${rule}` && (finding.id === 'never-reached' || finding.id === 'partly-covered'),
  );
  // What is never reached matters more than what is reached by some.
  const worst = about.some(({ id }) => id === 'never-reached') ? 'never-reached' : 'partly-covered';
  const takenBy = [...new Set(about.filter(({ id }) => id === worst).flatMap(({ related = [] }) => related))];
  const above = rules.slice(0, at).find(({ name }) => takenBy.includes(`${fence}/${name}`))?.name;
  if (above === undefined) return { takenBy };
  return { takenBy, above, edit: { kind: 'move-rule', fence, rule, position: { at: 'above', name: above } } };
}
