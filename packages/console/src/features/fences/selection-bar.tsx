import type { Edit } from '@jadefence/contract';
import { RULE_STATES } from '@jadefence/core/language';
import { Button } from '../../components/button.js';
import { Choice } from '../../components/choice.js';
import { countOf } from '../../format.js';

/** As many edits as the service takes at once. */
const MOST_EDITS = 200;

/** What can be done with several rules of a fence at once; each act is one step that can be undone. */
export function SelectionBar({
  fence,
  fences,
  selected,
  all,
  onSelect,
  onEdit,
}: {
  fence: string;
  fences: readonly string[];
  /** In the order of the fence. */
  selected: readonly string[];
  /** All that are shown. */
  all: readonly string[];
  onSelect: (names: readonly string[]) => void;
  onEdit: (edits: readonly Edit[]) => void;
}) {
  const edit = (edits: readonly Edit[]): void => {
    for (let at = 0; at < edits.length; at += MOST_EDITS) onEdit(edits.slice(at, at + MOST_EDITS));
  };
  const each =
    (editOf: (rule: string) => Edit): (() => void) =>
    () =>
      edit(selected.map(editOf));
  const others = fences.filter((name) => name !== fence);
  return (
    <div
      role="group"
      aria-label={`Selected rules of ${fence}`}
      className="sticky bottom-0 z-10 flex flex-wrap items-center gap-2 border-t border-jade bg-surface px-4 py-2 text-sm"
    >
      <span className="mr-2 font-medium">{countOf(selected.length, 'rule')} selected</span>
      {RULE_STATES.map((state) => (
        <Button key={state} size="small" onClick={each((rule) => ({ kind: 'set-rule', fence, rule, state }))}>
          {{ on: 'Turn on', trial: 'Put on trial', off: 'Turn off' }[state]}
        </Button>
      ))}
      <Button
        size="small"
        // From the last to the first, so that they keep their order.
        onClick={() =>
          edit([...selected].reverse().map((rule) => ({ kind: 'move-rule', fence, rule, position: { at: 'top' } })))
        }
      >
        To the top
      </Button>
      <Button size="small" onClick={each((rule) => ({ kind: 'move-rule', fence, rule, position: { at: 'bottom' } }))}>
        To the bottom
      </Button>
      {others.length > 0 && (
        <Choice
          label="Move to"
          value=""
          options={[{ value: '', text: 'another fence …' }, ...others.map((name) => ({ value: name, text: name }))]}
          onChange={(toFence) => {
            if (toFence === '') return;
            each((rule) => ({ kind: 'move-rule', fence, rule, toFence, position: { at: 'bottom' } }))();
            onSelect([]);
          }}
        />
      )}
      <Button size="small" onClick={each((rule) => ({ kind: 'remove-rule', fence, rule }))}>
        Remove
      </Button>
      <span className="ml-auto flex gap-2">
        {selected.length < all.length && (
          <Button size="small" onClick={() => onSelect(all)}>
            Select all {all.length}
          </Button>
        )}
        <Button size="small" onClick={() => onSelect([])}>
          Clear
        </Button>
      </span>
    </div>
  );
}
