import { closestCenter, DndContext, PointerSensor, useSensor, useSensors, type DragEndEvent } from '@dnd-kit/core';
import { SortableContext, useSortable, verticalListSortingStrategy } from '@dnd-kit/sortable';
import { ArrowDownIcon, ArrowUpIcon, Bars3Icon, XMarkIcon } from '@heroicons/react/20/solid';
import type { Draft, Edit } from '@jadefence/contract';
import { Button } from '../../components/button.js';
import { Choice } from '../../components/choice.js';
import { Card } from '../../components/layout.js';

type Gate = Draft['gates'][number];

/** One gate: its fences in order, which are moved by arrows or dragged. */
export function GateCard({
  gate,
  above,
  below,
  fences,
  onEdit,
  onOpen,
}: {
  gate: Gate;
  /** The gates next to it. */
  above: string | undefined;
  below: string | undefined;
  fences: readonly string[];
  onEdit: (edit: Edit) => void;
  onOpen?: () => void;
}) {
  const others = fences.filter((name) => !gate.fences.includes(name));
  const attach = (fence: string, position: Extract<Edit, { kind: 'attach' }>['position']): void =>
    onEdit({ kind: 'attach', gate: gate.name, fence, position });
  // Keys have the arrows.
  const sensors = useSensors(useSensor(PointerSensor, { activationConstraint: { distance: 5 } }));
  const move = ({ active, over }: DragEndEvent): void => {
    if (!over || active.id === over.id) return;
    const [from, to] = [active.id, over.id].map((id) => gate.fences.indexOf(String(id))) as [number, number];
    attach(String(active.id), { at: from < to ? 'below' : 'above', name: String(over.id) });
  };
  const heading = (
    <>
      {gate.name} <span className="text-sm font-normal text-muted">{gate.direction}</span>
    </>
  );
  return (
    <Card
      title={heading}
      aside={<GateActions gate={gate} above={above} below={below} onEdit={onEdit} onOpen={onOpen} />}
    >
      <DndContext sensors={sensors} collisionDetection={closestCenter} onDragEnd={move}>
        <SortableContext items={[...gate.fences]} strategy={verticalListSortingStrategy}>
          <ol>
            {gate.fences.map((fence, index) => (
              <FenceRow
                key={fence}
                fence={fence}
                index={index}
                gate={gate}
                attach={attach}
                onDetach={() => onEdit({ kind: 'detach', gate: gate.name, fence })}
              />
            ))}
          </ol>
        </SortableContext>
      </DndContext>
      <div className="flex flex-wrap items-center justify-between gap-3 bg-sunken px-4 py-2 text-sm text-muted">
        <span>Where none decides: {gate.otherwise}.</span>
        {others.length > 0 && (
          <Choice
            label={`Add to ${gate.name}`}
            value=""
            options={[{ value: '', text: 'a fence …' }, ...others.map((name) => ({ value: name, text: name }))]}
            onChange={(fence) => fence !== '' && attach(fence, { at: 'bottom' })}
          />
        )}
      </div>
    </Card>
  );
}

/** Its hosts or clients, and what can be done with the gate as a whole. */
function GateActions({
  gate,
  above,
  below,
  onEdit,
  onOpen,
}: {
  gate: Gate;
  above: string | undefined;
  below: string | undefined;
  onEdit: (edit: Edit) => void;
  onOpen?: () => void;
}) {
  return (
    <span className="flex flex-wrap items-center gap-2 text-sm text-muted">
      {[...gate.hosts, ...gate.clients].join(', ')}
      <IconButton
        label={`Move gate ${gate.name} up`}
        isOff={above === undefined}
        onClick={() => onEdit({ kind: 'move-gate', gate: gate.name, position: { at: 'above', name: above! } })}
      >
        <ArrowUpIcon aria-hidden className="size-4" />
      </IconButton>
      <IconButton
        label={`Move gate ${gate.name} down`}
        isOff={below === undefined}
        onClick={() => onEdit({ kind: 'move-gate', gate: gate.name, position: { at: 'below', name: below! } })}
      >
        <ArrowDownIcon aria-hidden className="size-4" />
      </IconButton>
      <Button size="small" disabled={!onOpen} onClick={onOpen} aria-label={`Edit gate ${gate.name}`}>
        Edit
      </Button>
      <Button
        size="small"
        aria-label={`Delete gate ${gate.name}`}
        onClick={() => onEdit({ kind: 'remove', part: 'gate', name: gate.name })}
      >
        Delete
      </Button>
    </span>
  );
}

/** A fence in the order of a gate. */
function FenceRow({
  fence,
  index,
  gate,
  attach,
  onDetach,
}: {
  fence: string;
  index: number;
  gate: Gate;
  attach: (fence: string, position: Extract<Edit, { kind: 'attach' }>['position']) => void;
  onDetach: () => void;
}) {
  const { listeners, setNodeRef, transform, transition, isDragging } = useSortable({ id: fence });
  return (
    <li
      ref={setNodeRef}
      style={{ transform: transform ? `translateY(${transform.y}px)` : undefined, transition }}
      className={`flex items-center gap-3 border-b border-line px-4 py-2 ${isDragging ? 'relative z-10 bg-jade-soft' : 'bg-surface'}`}
    >
      <span
        {...listeners}
        title="Drag to move"
        className="flex w-10 cursor-grab items-center gap-1 text-sm text-muted tabular-nums"
      >
        <Bars3Icon aria-hidden className="size-4 shrink-0" />
        {index + 1}
      </span>
      <span className="grow font-mono text-sm">{fence}</span>
      <IconButton
        label={`Move ${fence} up at ${gate.name}`}
        isOff={index === 0}
        onClick={() => attach(fence, { at: 'above', name: gate.fences[index - 1]! })}
      >
        <ArrowUpIcon aria-hidden className="size-4" />
      </IconButton>
      <IconButton
        label={`Move ${fence} down at ${gate.name}`}
        isOff={index === gate.fences.length - 1}
        onClick={() => attach(fence, { at: 'below', name: gate.fences[index + 1]! })}
      >
        <ArrowDownIcon aria-hidden className="size-4" />
      </IconButton>
      <IconButton label={`Take ${fence} away from ${gate.name}`} onClick={onDetach}>
        <XMarkIcon aria-hidden className="size-4" />
      </IconButton>
    </li>
  );
}

function IconButton({
  label,
  isOff = false,
  onClick,
  children,
}: {
  label: string;
  isOff?: boolean;
  onClick: () => void;
  children: React.ReactNode;
}) {
  return (
    <button
      type="button"
      aria-label={label}
      disabled={isOff}
      onClick={onClick}
      className="rounded-lg p-1.5 text-muted hover:bg-sunken disabled:opacity-30"
    >
      {children}
    </button>
  );
}
