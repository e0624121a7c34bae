import type { Analysis } from './finding.js';

/** A gate that evaluates nothing: its requests meet its otherwise. */
export const gateWithoutFence: Analysis = {
  level: 'warning',
  find: ({ rulebook }) =>
    rulebook.gates
      .filter(({ fences }) => fences.length === 0)
      .map(({ statement: { name, place } }) => ({
        subject: `gate ${name}`,
        place,
        message: `The gate ${name} has no fence, so no rule is evaluated for its requests.`,
        hint: 'Attach a fence, or delete the gate.',
        evidence: [],
      })),
};

/** A fence whose rules no request reaches. */
export const fenceWithoutGate: Analysis = {
  level: 'warning',
  find({ rulebook }) {
    const attached = new Set(rulebook.gates.flatMap(({ fences }) => fences));
    return rulebook.fences
      .filter((fence) => !attached.has(fence))
      .map(({ name, place, rules }) => ({
        subject: `fence ${name}`,
        place,
        message: `The fence ${name} is at no gate, so its rules are never evaluated.`,
        hint: 'Attach it to a gate, or delete it.',
        evidence: [rules.length === 1 ? 'It has 1 rule.' : `It has ${rules.length} rules.`],
      }));
  },
};
