/** A draft against what is published, and against what replays have judged by. */
import type { Analysis, Finding, ReviewInput } from './finding.js';
import type { OrderClaim } from './order.js';
import { aboutRule } from './rules.js';

/** Rules that stop, and that no replay has judged by. */
export const neverTried: Analysis = {
  level: 'note',
  find({ draft, rulebook }) {
    const enforced = rulebook.fences.find(({ mode, rules }) => mode === 'enforce' && rules.length > 0);
    if (!draft || draft.isTried || !enforced) return [];
    return [
      {
        subject: 'the draft',
        place: enforced.place,
        message: 'No replay has judged by the rules as they are now.',
        hint: 'Replay a log with the draft, and look at what it stops.',
        evidence: [],
      },
    ];
  },
};

/** A draft that differs from what is published. */
export const notPublished: Analysis = {
  level: 'note',
  find({ draft, statements }) {
    if (!draft) return [];
    const count = draft.changes.length;
    const [first] = statements;
    if (count === 0 || !first) return [];
    return [
      {
        subject: 'the draft',
        place: first.place,
        message: `${count === 1 ? '1 part of the draft differs' : `${count} parts of the draft differ`} from what is published.`,
        hint: 'Publish the draft when it is ready.',
        evidence: [],
      },
    ];
  },
};

/** A rule that is new in the draft, below one with another action that takes its requests. */
export function belowBroadRule(claims: readonly OrderClaim[], { draft, rulebook }: ReviewInput): Finding[] {
  const added = new Set(
    draft?.changes.flatMap(({ kind, part, name }) => (kind === 'added' && part === 'rule' ? [name] : [])),
  );
  const seen = new Set<string>();
  return claims.flatMap(({ id, fence, rule, related }): Finding[] => {
    const name = `${fence.name}/${rule.name}`;
    const [first] = related;
    const taker = rulebook.fences
      .flatMap((one) => (one === fence ? one.rules : []))
      .find((one) => `${fence.name}/${one.name}` === first);
    const isCovered = id === 'partly-covered' || id === 'never-reached';
    if (!isCovered || !added.has(name) || !taker || taker.action.kind === rule.action.kind) return [];
    if (seen.has(name)) return [];
    seen.add(name);
    const words = aboutRule(
      { fence, rule, name },
      {
        message: `The new rule ${name} is below ${first}, which decides about ${id === 'never-reached' ? 'all' : 'some'} of its requests.`,
        hint: `Move it above ${first}; "rule place ${name}" shows what that changes.`,
      },
    );
    return [
      {
        id: 'below-broad-rule',
        level: 'warning',
        ...words,
        related,
        fix: [{ kind: 'move-rule', fence: fence.name, rule: rule.name, position: { at: 'above', name: taker.name } }],
      },
    ];
  });
}
