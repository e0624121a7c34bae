import { PlusIcon } from '@heroicons/react/20/solid';
import type { DraftFence, DraftRule, Edit } from '@jadefence/contract';
import { freeName } from '@jadefence/core/edit';
import type { RuleSummary } from '@jadefence/core/replay';
import { memo, useMemo } from 'react';
import { Link } from 'react-router';
import { useEdit } from '../../api/edit.js';
import { Button } from '../../components/button.js';
import { Card } from '../../components/layout.js';
import { ErrorNotice } from '../../components/loaded.js';
import { StateBadge } from '../../components/state-badge.js';
import type { Edited } from '../rule-editor/rule-editor.js';
import { GatePicker } from './gate-picker.js';
import { FenceRules } from './fence-rules.js';
import { SelectionBar } from './selection-bar.js';
import type { RuleActions } from './rule-row.js';
import { useSelection } from './use-selection.js';

/** A new rule that does nothing yet: it is on trial, and to be written. */
const NEW_RULE = 'rule new-rule trial block when path under /';

/** One fence: its rules can be dragged, or moved by keys, and edited in place. */
export const FenceCard = memo(function FenceCard({
  fence,
  fences,
  isReached,
  tallies,
  most,
  filter,
  isLong,
  isCompact,
  onEdit,
  onEditHead,
}: {
  fence: DraftFence;
  /** The names of all fences. */
  fences: readonly string[];
  /** Whether any request of the replay reached one of its gates; otherwise there are no hits to show. */
  isReached: boolean;
  tallies: ReadonlyMap<string, RuleSummary>;
  most: number;
  filter: string;
  /** The page has many rules, of which it shows those in view. */
  isLong: boolean;
  isCompact: boolean;
  onEdit: (edited: Edited) => void;
  onEditHead: (fence: DraftFence) => void;
}) {
  const { mutate, error } = useEdit();
  const wanted = filter.trim().toLowerCase();
  const shown = useMemo(
    () => (wanted === '' ? fence.rules : fence.rules.filter((rule) => wordsOf(rule).includes(wanted))),
    [fence.rules, wanted],
  );
  const positions = useMemo(() => new Map(fence.rules.map(({ name }, index) => [name, index + 1])), [fence.rules]);
  const { selected, select, choose } = useSelection(shown);
  // The same as long as the fence is, so that rows are drawn again only where they change.
  const actions = useMemo(
    () => actionsOf(fence, onEdit, (change) => mutate([change]), select),
    [fence, onEdit, mutate, select],
  );
  if (shown.length === 0 && wanted !== '') return null;
  return (
    <Card
      title={<Heading fence={fence} />}
      aside={<Aside fence={fence} onChange={(change) => mutate([change])} onEdit={() => onEditHead(fence)} />}
    >
      {error && (
        <div className="p-3">
          <ErrorNotice error={error} />
        </div>
      )}
      {!isReached && <p className="px-4 py-2 text-sm text-muted">No request of this replay reached this fence.</p>}
      <FenceRules
        fence={fence.name}
        rules={shown}
        positions={positions}
        tallies={tallies}
        most={most}
        actions={actions}
        selected={selected}
        isCompact={isCompact}
        onMove={(change) => mutate([change])}
        isLong={isLong}
      />
      {selected.size > 0 && (
        <SelectionBar
          fence={fence.name}
          fences={fences}
          selected={shown.filter(({ name }) => selected.has(name)).map(({ name }) => name)}
          all={shown.map(({ name }) => name)}
          onSelect={choose}
          onEdit={mutate}
        />
      )}
      <Footer otherwise={fence.otherwise} onAdd={() => actions.add({ at: 'bottom' })} />
    </Card>
  );
});

const wordsByRule = new WeakMap<DraftRule, string>();

/** All that a rule is found by. */
function wordsOf(rule: DraftRule): string {
  let words = wordsByRule.get(rule);
  if (words === undefined)
    wordsByRule.set(rule, (words = `${rule.name} ${rule.title ?? ''} ${rule.sentence}`.toLowerCase()));
  return words;
}

function actionsOf(
  fence: DraftFence,
  onEdit: (edited: Edited) => void,
  onChange: (edit: Edit) => void,
  select: RuleActions['select'],
): RuleActions {
  const names = fence.rules.map(({ name }) => name);
  return {
    names: () => new Set(names),
    change: onChange,
    select,
    add: (position) =>
      onEdit({
        fence: fence.name,
        text: NEW_RULE.replace(
          'new-rule',
          names.includes('new-rule') ? freeName('new-rule', new Set(names)) : 'new-rule',
        ),
        takenNames: new Set(names),
        title: `New rule of ${fence.title ?? fence.name}`,
        editOf: (text) => ({ kind: 'add-rule', fence: fence.name, text, position }),
      }),
    open: (rule) =>
      onEdit({
        fence: fence.name,
        text: rule.text,
        title: `Rule ${fence.name}/${rule.name}`,
        rule: rule.name,
        editOf: (text) => ({ kind: 'replace-rule', fence: fence.name, rule: rule.name, text }),
      }),
  };
}

function Footer({ otherwise, onAdd }: { otherwise: string; onAdd: () => void }) {
  return (
    <div className="flex flex-wrap items-center justify-between gap-2 bg-sunken px-4 py-2 text-sm text-muted">
      <span>Otherwise {otherwise}.</span>
      <Button size="small" onClick={onAdd}>
        <PlusIcon aria-hidden className="size-4" />
        Add rule
      </Button>
    </div>
  );
}

function Heading({ fence }: { fence: DraftFence }) {
  return (
    <>
      {fence.title ?? fence.name} <span className="font-mono text-sm font-normal text-muted">{fence.name}</span>{' '}
      <StateBadge state={fence.mode} />
    </>
  );
}

function Aside({ fence, onChange, onEdit }: { fence: DraftFence; onChange: (edit: Edit) => void; onEdit: () => void }) {
  const other = fence.mode === 'trial' ? 'enforce' : 'trial';
  return (
    <span className="flex flex-wrap items-center gap-3 text-sm text-muted">
      <GatePicker fence={fence} onChange={onChange} />
      {(fence.mode === 'trial' || fence.rules.some(({ state }) => state === 'trial')) && (
        <Link to={`/readiness?fence=${fence.name}`} className="text-jade hover:underline">
          Ready?
        </Link>
      )}
      <Button
        size="small"
        onClick={() => onChange({ kind: 'set-mode', fence: fence.name, mode: other })}
        title={other === 'enforce' ? 'Nothing enforces this yet: it is what replays judge by' : undefined}
      >
        {other === 'enforce' ? 'Enforce' : 'Put on trial'}
      </Button>
      <Button size="small" aria-label={`Edit fence ${fence.name}`} onClick={onEdit}>
        Edit
      </Button>
    </span>
  );
}
