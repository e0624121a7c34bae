import { Menu, MenuButton, MenuItem, MenuItems } from '@headlessui/react';
import { Bars3Icon, EllipsisHorizontalIcon, PencilIcon } from '@heroicons/react/20/solid';
import { useSortable } from '@dnd-kit/sortable';
import type { DraftFence, DraftRule, Edit } from '@jadefence/contract';
import { freeName } from '@jadefence/core/edit';
import { RULE_STATES } from '@jadefence/core/language';
import type { RuleSummary } from '@jadefence/core/replay';
import { Hits } from '../../components/hits.js';
import { StateBadge } from '../../components/state-badge.js';
import type { Edited } from '../rule-editor/rule-editor.js';

interface RuleRowProps {
  readonly fence: DraftFence;
  readonly rule: DraftRule;
  readonly tally?: RuleSummary;
  readonly most: number;
  readonly onEdit: (edited: Edited) => void;
  readonly onInsert: (at: 'above' | 'below') => void;
  readonly onChange: (edit: Edit) => void;
}

/** One rule as a sentence, with its hits and actions. */
export function RuleRow({ fence, rule, tally, most, onEdit, onInsert, onChange }: RuleRowProps) {
  const { attributes, listeners, setNodeRef, setActivatorNodeRef, transform, transition, isDragging } = useSortable({
    id: rule.name,
  });
  const position = fence.rules.indexOf(rule) + 1;
  const open = (): void =>
    onEdit({
      fence: fence.name,
      text: rule.text,
      title: `Rule ${fence.name}/${rule.name}`,
      editOf: (text) => ({ kind: 'replace-rule', fence: fence.name, rule: rule.name, text }),
    });
  return (
    <li
      ref={setNodeRef}
      style={{ transform: transform ? `translateY(${transform.y}px)` : undefined, transition }}
      className={`grid grid-cols-[2.75rem_1fr] items-center gap-x-3 gap-y-1 border-b border-line px-3 py-3 last:border-b-0 sm:grid-cols-[2.75rem_1fr_auto_auto] ${isDragging ? 'relative z-10 bg-jade-soft' : 'bg-surface'}`}
    >
      <button
        ref={setActivatorNodeRef}
        type="button"
        {...attributes}
        {...listeners}
        aria-label={`Move rule ${rule.name}, now ${position}`}
        className="flex cursor-grab items-center gap-1 rounded text-sm text-muted tabular-nums"
      >
        <Bars3Icon aria-hidden className="size-4" />
        {position}
      </button>
      <div className="min-w-0">
        <p className="flex flex-wrap items-center gap-2">
          <span className="font-mono text-sm font-medium">{rule.name}</span>
          <StateBadge state={rule.state} />
          {rule.title && <span className="text-sm text-muted">{rule.title}</span>}
        </p>
        <p className="mt-0.5">{rule.sentence}</p>
      </div>
      <div className="col-start-2 sm:col-start-3">
        {tally && <Hits hits={tally.hits} most={most} lastHitUnixMs={tally.lastHitUnixMs} />}
      </div>
      <div className="col-start-2 flex items-center gap-1 sm:col-start-4">
        <button
          type="button"
          onClick={open}
          aria-label={`Edit rule ${rule.name}`}
          className="rounded-lg p-1.5 text-muted hover:bg-sunken"
        >
          <PencilIcon aria-hidden className="size-4" />
        </button>
        <RuleMenu fence={fence} rule={rule} onInsert={onInsert} onChange={onChange} />
      </div>
    </li>
  );
}

function RuleMenu({ fence, rule, onInsert, onChange }: Pick<RuleRowProps, 'fence' | 'rule' | 'onInsert' | 'onChange'>) {
  const of = { fence: fence.name, rule: rule.name };
  const taken = new Set(fence.rules.map(({ name }) => name));
  const items: { text: string; act: () => void }[] = [
    { text: 'Insert a rule above', act: () => onInsert('above') },
    { text: 'Insert a rule below', act: () => onInsert('below') },
    {
      text: `Clone it, off, as ${freeName(rule.name, taken)}`,
      act: () => onChange({ kind: 'clone-rule', ...of }),
    },
    ...RULE_STATES.filter((state) => state !== rule.state).map((state) => ({
      text: { on: 'Turn on', trial: 'Put on trial', off: 'Turn off' }[state],
      act: () => onChange({ kind: 'set-rule', ...of, state }),
    })),
    { text: 'Remove', act: () => onChange({ kind: 'remove-rule', ...of }) },
  ];
  return (
    <Menu>
      <MenuButton aria-label={`More for rule ${rule.name}`} className="rounded-lg p-1.5 text-muted hover:bg-sunken">
        <EllipsisHorizontalIcon aria-hidden className="size-4" />
      </MenuButton>
      <MenuItems
        anchor="bottom end"
        className="z-20 rounded-lg border border-line bg-surface p-1 text-sm shadow-lg [--anchor-gap:4px]"
      >
        {items.map(({ text, act }) => (
          <MenuItem key={text}>
            <button
              type="button"
              onClick={act}
              className="block w-full rounded-md px-3 py-1.5 text-left data-focus:bg-jade-soft"
            >
              {text}
            </button>
          </MenuItem>
        ))}
      </MenuItems>
    </Menu>
  );
}
