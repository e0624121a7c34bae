import {
  closestCenter,
  DndContext,
  KeyboardSensor,
  PointerSensor,
  useSensor,
  useSensors,
  type DragEndEvent,
} from '@dnd-kit/core';
import { SortableContext, sortableKeyboardCoordinates, verticalListSortingStrategy } from '@dnd-kit/sortable';
import { PlusIcon } from '@heroicons/react/20/solid';
import type { DraftFence, Edit } from '@jadefence/contract';
import type { RuleSummary } from '@jadefence/core/replay';
import { useEdit } from '../../api/edit.js';
import { Button } from '../../components/button.js';
import { Card } from '../../components/layout.js';
import { ErrorNotice } from '../../components/loaded.js';
import { StateBadge } from '../../components/state-badge.js';
import type { Edited } from '../rule-editor/rule-editor.js';
import { GatePicker } from './gate-picker.js';
import { RuleRow } from './rule-row.js';

/** A new rule that does nothing yet: it is on trial, and to be written. */
const NEW_RULE = 'rule new-rule trial block when path under /';

/** One fence: its rules can be dragged, or moved by keys, and edited in place. */
export function FenceCard({
  fence,
  isReached,
  tallies,
  most,
  filter,
  onEdit,
}: {
  fence: DraftFence;
  /** Whether any request of the replay reached one of its gates; otherwise there are no hits to show. */
  isReached: boolean;
  tallies: ReadonlyMap<string, RuleSummary>;
  most: number;
  filter: string;
  onEdit: (edited: Edited) => void;
}) {
  const edit = useEdit();
  const sensors = useSensors(
    useSensor(PointerSensor, { activationConstraint: { distance: 5 } }),
    useSensor(KeyboardSensor, { coordinateGetter: sortableKeyboardCoordinates }),
  );
  const wanted = filter.trim().toLowerCase();
  const shown = fence.rules.filter(({ name, title = '', sentence }) =>
    `${name} ${title} ${sentence}`.toLowerCase().includes(wanted),
  );
  if (shown.length === 0 && wanted !== '') return null;
  const move = ({ active, over }: DragEndEvent): void => {
    if (!over || active.id === over.id) return;
    const indexOf = (id: unknown): number => fence.rules.findIndex(({ name }) => name === id);
    const at = indexOf(active.id) < indexOf(over.id) ? 'below' : 'above';
    edit.mutate([
      { kind: 'move-rule', fence: fence.name, rule: String(active.id), position: { at, name: String(over.id) } },
    ]);
  };
  const addRule = (position: Extract<Edit, { kind: 'add-rule' }>['position'], text = NEW_RULE): void =>
    onEdit({
      fence: fence.name,
      text,
      title: `New rule of ${fence.title ?? fence.name}`,
      editOf: (written) => ({ kind: 'add-rule', fence: fence.name, text: written, position }),
    });
  return (
    <Card
      title={<Heading fence={fence} />}
      aside={<Aside fence={fence} onChange={(change) => edit.mutate([change])} />}
    >
      {edit.error && (
        <div className="p-3">
          <ErrorNotice error={edit.error} />
        </div>
      )}
      {!isReached && <p className="px-4 py-2 text-sm text-muted">No request of this replay reached this fence.</p>}
      <DndContext sensors={sensors} collisionDetection={closestCenter} onDragEnd={move}>
        <SortableContext items={shown.map(({ name }) => name)} strategy={verticalListSortingStrategy}>
          <ol>
            {shown.map((rule) => (
              <RuleRow
                key={rule.name}
                fence={fence}
                rule={rule}
                tally={tallies.get(`${fence.name}/${rule.name}`)}
                most={most}
                onEdit={onEdit}
                onInsert={(at) => addRule({ at, name: rule.name })}
                onChange={(change) => edit.mutate([change])}
              />
            ))}
          </ol>
        </SortableContext>
      </DndContext>
      <div className="flex flex-wrap items-center justify-between gap-2 bg-sunken px-4 py-2 text-sm text-muted">
        <span>Otherwise {fence.otherwise}.</span>
        <Button size="small" onClick={() => addRule({ at: 'bottom' })}>
          <PlusIcon aria-hidden className="size-4" />
          Add rule
        </Button>
      </div>
    </Card>
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

function Aside({ fence, onChange }: { fence: DraftFence; onChange: (edit: Edit) => void }) {
  const other = fence.mode === 'trial' ? 'enforce' : 'trial';
  return (
    <span className="flex flex-wrap items-center gap-3 text-sm text-muted">
      <GatePicker fence={fence} onChange={onChange} />
      <Button
        size="small"
        onClick={() => onChange({ kind: 'set-mode', fence: fence.name, mode: other })}
        title={other === 'enforce' ? 'Nothing enforces this yet: it is what replays judge by' : undefined}
      >
        {other === 'enforce' ? 'Enforce' : 'Put on trial'}
      </Button>
    </span>
  );
}
