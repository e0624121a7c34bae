import { Menu, MenuButton, MenuItem, MenuItems } from '@headlessui/react';
import { Bars3Icon, EllipsisHorizontalIcon, PencilIcon, PowerIcon } from '@heroicons/react/20/solid';
import { useSortable } from '@dnd-kit/sortable';
import type { DraftRule, Edit } from '@jadefence/contract';
import { freeName, parseRuleText } from '@jadefence/core/edit';
import { RULE_STATES } from '@jadefence/core/language';
import type { RuleSummary } from '@jadefence/core/replay';
import { memo, useCallback, useEffect, useRef, useState } from 'react';
import { useNavigate } from 'react-router';
import { CheckBox } from '../../components/check-field.js';
import { Hits } from '../../components/hits.js';
import { StateBadge } from '../../components/state-badge.js';
import { LevelIcon, type Level } from '../findings/finding-list.js';

/** What can be done with the rules of a fence. */
export interface RuleActions {
  /** All names that are taken. */
  readonly names: () => ReadonlySet<string>;
  readonly change: (edit: Edit) => void;
  readonly add: (position: Extract<Edit, { kind: 'add-rule' }>['position']) => void;
  readonly open: (rule: DraftRule) => void;
  /** @param isRange with all shown rules from the last one that was selected, or not */
  readonly select: (rule: string, isSelected: boolean, isRange: boolean) => void;
}

/** What is probably wrong with a rule. */
export interface RowFinding {
  readonly level: Level;
  readonly message: string;
}

interface RuleRowProps {
  /** Its name. */
  readonly fence: string;
  readonly rule: DraftRule;
  /** From 1. */
  readonly position: number;
  readonly tally?: RuleSummary;
  /** The most serious finding about it, but for notes. */
  readonly finding?: RowFinding;
  readonly most: number;
  readonly actions: RuleActions;
  readonly isSelected: boolean;
  /** Sentences are cut to a line. */
  readonly isCompact: boolean;
  /** Of a long fence, of which only the rows in view are on the page: the place among the shown ones, from 0. */
  readonly index?: number;
  /** Receives the row, whose height counts. */
  readonly measure?: (row: HTMLElement | null) => void;
}

/** One rule as a sentence, with its hits and actions. */
export const RuleRow = memo(function RuleRow({
  fence,
  rule,
  position,
  tally,
  finding,
  most,
  actions,
  isSelected,
  isCompact,
  index,
  measure,
}: RuleRowProps) {
  const { attributes, listeners, setNodeRef, setActivatorNodeRef, transform, transition, isDragging } = useSortable({
    id: rule.name,
  });
  const row = useCallback(
    (node: HTMLElement | null) => {
      setNodeRef(node);
      measure?.(node);
    },
    [setNodeRef, measure],
  );
  return (
    <li
      ref={row}
      data-index={index}
      style={{ transform: transform ? `translateY(${transform.y}px)` : undefined, transition }}
      className={`grid grid-cols-[1rem_2.5rem_1fr_auto] items-center gap-x-3 gap-y-0.5 border-b border-line px-3 py-1 text-sm last:border-b-0 md:grid-cols-[1rem_2.5rem_11rem_1fr_auto_auto] ${isDragging ? 'relative z-10 bg-jade-soft' : isSelected ? 'bg-jade-soft' : 'bg-surface'}`}
    >
      <CheckBox
        label={`Select rule ${rule.name}`}
        isOn={isSelected}
        onChange={(isOn, isRange) => actions.select(rule.name, isOn, isRange)}
      />
      <button
        ref={setActivatorNodeRef}
        type="button"
        {...attributes}
        {...listeners}
        aria-label={`Move rule ${rule.name}, now ${position}`}
        className="flex cursor-grab items-center gap-1 rounded text-muted tabular-nums"
      >
        <Bars3Icon aria-hidden className="size-4 shrink-0" />
        {position}
      </button>
      <p className="flex min-w-0 flex-wrap items-center gap-x-2">
        <span className="min-w-0 truncate font-mono font-medium" title={rule.title}>
          {rule.name}
        </span>
        {rule.state !== 'on' && <StateBadge state={rule.state} />}
      </p>
      <RuleSentence rule={rule} finding={finding} isCompact={isCompact} />
      <div className="order-last col-span-4 md:order-none md:col-span-1">
        {tally && <Hits hits={tally.hits} most={most} lastHitUnixMs={tally.lastHitUnixMs} />}
      </div>
      <div className="flex items-center">
        <PowerButton fence={fence} rule={rule} actions={actions} />
        <button
          type="button"
          onClick={() => actions.open(rule)}
          aria-label={`Edit rule ${rule.name}`}
          className="rounded-lg p-1.5 text-muted hover:bg-sunken"
        >
          <PencilIcon aria-hidden className="size-4" />
        </button>
        <RuleMenu fence={fence} rule={rule} actions={actions} />
      </div>
    </li>
  );
});

/** On and off in one press; by keys it is in the menu, so that a rule has no more places to stop at. */
function PowerButton({ fence, rule, actions }: Pick<RuleRowProps, 'fence' | 'rule' | 'actions'>) {
  const isOff = rule.state === 'off';
  const text = `${isOff ? 'Turn on' : 'Turn off'} rule ${rule.name}`;
  return (
    <button
      type="button"
      tabIndex={-1}
      title={text}
      aria-label={text}
      onClick={() => actions.change({ kind: 'set-rule', fence, rule: rule.name, state: isOff ? 'on' : 'off' })}
      className={`rounded-lg p-1.5 hover:bg-sunken ${isOff ? 'text-muted' : 'text-jade'}`}
    >
      <PowerIcon aria-hidden className="size-4" />
    </button>
  );
}

/** What a rule does, and what is probably wrong with it. */
function RuleSentence({ rule, finding, isCompact }: Pick<RuleRowProps, 'rule' | 'finding' | 'isCompact'>) {
  return (
    <div className="order-last col-span-4 min-w-0 md:order-none md:col-span-1">
      <p className={isCompact ? 'md:truncate' : ''} title={isCompact ? rule.sentence : undefined}>
        {rule.sentence}
        {rule.title && <span className="text-muted"> {rule.title}.</span>}
      </p>
      {finding && (
        <p className="flex items-start gap-1 text-limited">
          <LevelIcon level={finding.level} />
          {finding.message}
        </p>
      )}
    </div>
  );
}

type MenuProps = Pick<RuleRowProps, 'fence' | 'rule' | 'actions'>;

const MENU_BUTTON = 'rounded-lg p-1.5 text-muted hover:bg-sunken';

/** The menu is made when it is opened first: a page has as many as rules. */
function RuleMenu(props: MenuProps) {
  const [isMade, setMade] = useState(false);
  if (isMade) return <OpenedMenu {...props} />;
  return (
    <button
      type="button"
      aria-label={`More for rule ${props.rule.name}`}
      aria-haspopup="menu"
      aria-expanded={false}
      onClick={() => setMade(true)}
      className={MENU_BUTTON}
    >
      <EllipsisHorizontalIcon aria-hidden className="size-4" />
    </button>
  );
}

function OpenedMenu({ fence, rule, actions }: MenuProps) {
  const button = useRef<HTMLButtonElement>(null);
  useEffect(() => {
    button.current?.focus();
    button.current?.click();
  }, []);
  return (
    <Menu>
      <MenuButton ref={button} aria-label={`More for rule ${rule.name}`} className={MENU_BUTTON}>
        <EllipsisHorizontalIcon aria-hidden className="size-4" />
      </MenuButton>
      <MenuItems
        anchor="bottom end"
        className="z-20 rounded-lg border border-line bg-surface p-1 text-sm shadow-lg [--anchor-gap:4px]"
      >
        <RuleMenuItems fence={fence} rule={rule} actions={actions} />
      </MenuItems>
    </Menu>
  );
}

function RuleMenuItems({ fence, rule, actions }: MenuProps) {
  const navigate = useNavigate();
  const of = { fence, rule: rule.name };
  const isLimit = parseRuleText(rule.text).rule?.action.kind === 'limit';
  const items: { text: string; act: () => void }[] = [
    ...(isLimit
      ? [
          {
            text: 'Which count is right?',
            act: () =>
              void navigate(`/limit-advice?${new URLSearchParams({ rule: `${fence}/${rule.name}` }).toString()}`),
          },
        ]
      : []),
    { text: 'Insert a rule above', act: () => actions.add({ at: 'above', name: rule.name }) },
    { text: 'Insert a rule below', act: () => actions.add({ at: 'below', name: rule.name }) },
    {
      text: `Clone it, off, as ${freeName(rule.name, actions.names())}`,
      act: () => actions.change({ kind: 'clone-rule', ...of }),
    },
    { text: 'Move to the top', act: () => actions.change({ kind: 'move-rule', ...of, position: { at: 'top' } }) },
    { text: 'Move to the bottom', act: () => actions.change({ kind: 'move-rule', ...of, position: { at: 'bottom' } }) },
    ...RULE_STATES.filter((state) => state !== rule.state).map((state) => ({
      text: { on: 'Turn on', trial: 'Put on trial', off: 'Turn off' }[state],
      act: () => actions.change({ kind: 'set-rule', ...of, state }),
    })),
    { text: 'Remove', act: () => actions.change({ kind: 'remove-rule', ...of }) },
  ];
  return items.map(({ text, act }) => (
    <MenuItem key={text}>
      <button
        type="button"
        onClick={act}
        className="block w-full rounded-md px-3 py-1.5 text-left data-focus:bg-jade-soft"
      >
        {text}
      </button>
    </MenuItem>
  ));
}
