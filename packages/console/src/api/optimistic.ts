import type { Draft, DraftFence, DraftRule, Edit } from '@jadefence/contract';

/** The draft as it will be after edits, as far as that can be known without the service; what cannot is left as it is. */
export function applyToDraft(draft: Draft, edits: readonly Edit[]): Draft {
  return edits.reduce(applyEdit, draft);
}

function applyEdit(draft: Draft, edit: Edit): Draft {
  switch (edit.kind) {
    case 'set-rule':
      return inFence(draft, edit.fence, (rules) =>
        rules.map((rule) => (rule.name === edit.rule && edit.state ? { ...rule, state: edit.state } : rule)),
      );
    case 'remove-rule':
      return inFence(draft, edit.fence, (rules) => rules.filter(({ name }) => name !== edit.rule));
    case 'move-rule':
      return moveRule(draft, edit);
    case 'set-mode':
      return {
        ...draft,
        fences: draft.fences.map((fence) => (fence.name === edit.fence ? { ...fence, mode: edit.mode } : fence)),
      };
    case 'remove':
      if (edit.part !== 'gate') return draft;
      return { ...draft, gates: draft.gates.filter(({ name }) => name !== edit.name) };
    case 'detach':
      return withStack(draft, edit.gate, edit.fence, (stack) => stack.filter((name) => name !== edit.fence));
    case 'attach':
      return withStack(draft, edit.gate, edit.fence, (stack) =>
        move(
          [...stack, edit.fence].map((name) => ({ name })),
          edit.fence,
          edit.position,
        ).map(({ name }) => name),
      );
    case 'move-gate':
      return { ...draft, gates: move(draft.gates, edit.gate, edit.position) };
    default:
      return draft;
  }
}

function moveRule(draft: Draft, { fence, rule, toFence, position }: Extract<Edit, { kind: 'move-rule' }>): Draft {
  if (toFence === undefined || toFence === fence) return inFence(draft, fence, (rules) => move(rules, rule, position));
  const moved = draft.fences.find(({ name }) => name === fence)?.rules.find(({ name }) => name === rule);
  if (!moved) return draft;
  const without = inFence(draft, fence, (rules) => rules.filter((candidate) => candidate !== moved));
  return inFence(without, toFence, (rules) => move([...rules, moved], rule, position));
}

function inFence(draft: Draft, fence: string, change: (rules: readonly DraftRule[]) => readonly DraftRule[]): Draft {
  const changed = (candidate: DraftFence): DraftFence =>
    candidate.name === fence ? { ...candidate, rules: change(candidate.rules) } : candidate;
  return { ...draft, fences: draft.fences.map(changed) };
}

/** The fences of a gate, and the gates of a fence. */
function withStack(
  draft: Draft,
  gate: string,
  fence: string,
  change: (stack: readonly string[]) => readonly string[],
): Draft {
  const gates = draft.gates.map((candidate) =>
    candidate.name === gate ? { ...candidate, fences: change(candidate.fences) } : candidate,
  );
  const holding = gates.filter(({ fences }) => fences.includes(fence)).map(({ name }) => name);
  const fences = draft.fences.map((candidate) =>
    candidate.name === fence ? { ...candidate, gates: holding } : candidate,
  );
  return { ...draft, gates, fences };
}

type Position = Extract<Edit, { kind: 'move-rule' }>['position'];

/** Where the place is not known, all stays as it is. */
function move<T extends { readonly name: string }>(
  items: readonly T[],
  name: string,
  position: Position,
): readonly T[] {
  const moved = items.find((item) => item.name === name);
  if (!moved) return items;
  const rest = items.filter((item) => item.name !== name);
  if (!('name' in position)) return position.at === 'top' ? [moved, ...rest] : [...rest, moved];
  const { at, name: neighbour } = position;
  const target = rest.findIndex((item) => item.name === neighbour);
  if (target < 0) return items;
  const place = at === 'above' ? target : target + 1;
  return [...rest.slice(0, place), moved, ...rest.slice(place)];
}
