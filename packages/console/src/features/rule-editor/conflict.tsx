import { parseRuleText, printRuleText } from '@jadefence/core/edit';
import type { Rule } from '@jadefence/core/language';
import { Button } from '../../components/button.js';
import { compareRules, mergeRules } from './merge-rules.js';

/** A rule that another user changed while it was edited here: both versions, and the ways on. */
export function Conflict({
  before,
  theirs,
  mine,
  by,
  onResolve,
}: {
  /** The rule as it was opened. */
  before: Rule;
  /** The rule as it is now; undefined where it was removed. */
  theirs: Rule | undefined;
  mine: Rule;
  by: string | null;
  /** The text to continue with, on the version that has been seen. */
  onResolve: (text: string) => void;
}) {
  const who = by ?? 'Another user';
  if (!theirs)
    return (
      <p role="alert" className="mt-3 rounded-lg bg-sunken px-3 py-2 text-sm">
        {who} removed or renamed this rule. Copy the text if it is still needed, cancel, and add it as a new rule.
      </p>
    );
  const differences = compareRules(before, theirs, mine);
  const isContested = differences.some((difference) => difference.isContested);
  return (
    <section role="alert" className="mt-3 rounded-lg border border-limited p-3 text-sm">
      <h3 className="font-medium">{who} changed this rule since it was opened here</h3>
      <div className="mt-2 overflow-x-auto" role="region" aria-label="Both versions" tabIndex={0}>
        <table className="w-full text-left">
          <thead className="text-muted">
            <tr>
              {['Part', 'As opened', 'Theirs', 'Mine'].map((head) => (
                <th key={head} scope="col" className="px-2 py-1 font-medium">
                  {head}
                </th>
              ))}
            </tr>
          </thead>
          <tbody>
            {differences.map((row) => (
              <tr key={row.part} className="border-t border-line align-top">
                <th scope="row" className="px-2 py-1 font-medium">
                  {row.part}
                  {row.isContested && <span className="block font-normal text-limited">both changed it</span>}
                </th>
                <td className="px-2 py-1 text-muted">{row.before || 'none'}</td>
                <Changed value={row.theirs} before={row.before} />
                <Changed value={row.mine} before={row.before} />
              </tr>
            ))}
          </tbody>
        </table>
      </div>
      <div className="mt-3 flex flex-wrap gap-2">
        <Button onClick={() => onResolve(printRuleText(theirs))}>Take theirs</Button>
        <Button onClick={() => onResolve(printRuleText(mine))}>Keep mine</Button>
        <Button look="primary" onClick={() => onResolve(printRuleText(mergeRules(before, theirs, mine)))}>
          {isContested ? 'Merge: mine where both changed it' : 'Merge both'}
        </Button>
      </div>
    </section>
  );
}

function Changed({ value, before }: { value: string; before: string }) {
  return <td className={`px-2 py-1 ${value === before ? 'text-muted' : 'font-medium'}`}>{value || 'none'}</td>;
}

/** The rule of a text that has no errors. */
export function ruleOfText(text: string | undefined): Rule | undefined {
  if (text === undefined) return undefined;
  const { rule, diagnostics } = parseRuleText(text);
  return diagnostics.length === 0 ? rule : undefined;
}
