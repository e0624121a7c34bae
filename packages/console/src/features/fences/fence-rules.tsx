import {
  closestCenter,
  DndContext,
  KeyboardSensor,
  PointerSensor,
  useSensor,
  useSensors,
  type Announcements,
  type DragEndEvent,
  type UniqueIdentifier,
} from '@dnd-kit/core';
import { SortableContext, sortableKeyboardCoordinates, verticalListSortingStrategy } from '@dnd-kit/sortable';
import type { DraftRule, Edit } from '@jadefence/contract';
import type { RuleSummary } from '@jadefence/core/replay';
import { useWindowVirtualizer } from '@tanstack/react-virtual';
import { useEffect, useLayoutEffect, useRef, useState, type RefObject } from 'react';
import { useRowFindings } from '../findings/use-findings.js';
import { RuleRow, type RuleActions } from './rule-row.js';

const ROW_PIXELS = 38;
const OVERSCAN = 8;

type DrawRow = (rule: DraftRule, index?: number, measure?: (row: HTMLElement | null) => void) => React.ReactNode;

interface FenceRulesProps {
  readonly fence: string;
  readonly rules: readonly DraftRule[];
  /** Of each rule by name, counted over all rules of the fence. */
  readonly positions: ReadonlyMap<string, number>;
  readonly tallies: ReadonlyMap<string, RuleSummary>;
  readonly most: number;
  readonly actions: RuleActions;
  readonly selected: ReadonlySet<string>;
  readonly isCompact: boolean;
  readonly onMove: (edit: Edit) => void;
  /** Only the rows in view are on the page. */
  readonly isLong: boolean;
}

/** The rules of a fence. Where the page has many, only those near what is in view are on it. */
export function FenceRules(props: FenceRulesProps) {
  const box = useRef<HTMLDivElement>(null);
  const isNear = useNear(box) || !props.isLong;
  return (
    <div ref={box} style={isNear ? undefined : { height: props.rules.length * ROW_PIXELS }}>
      {isNear && <SortableRules {...props} />}
    </div>
  );
}

/** Whether any part of it is within a screen of what is in view. */
function useNear(box: RefObject<HTMLElement | null>): boolean {
  const [isNear, setNear] = useState(false);
  useEffect(() => {
    const observer = new IntersectionObserver((entries) => setNear(entries.at(-1)!.isIntersecting), {
      rootMargin: '100% 0px',
    });
    observer.observe(box.current!);
    return () => observer.disconnect();
  }, [box]);
  return isNear;
}

/** Rules that can be dragged, or moved by keys. */
function SortableRules({
  fence,
  rules,
  positions,
  tallies,
  most,
  actions,
  selected,
  isCompact,
  onMove,
  isLong,
}: FenceRulesProps) {
  const sensors = useSensors(
    useSensor(PointerSensor, { activationConstraint: { distance: 5 } }),
    useSensor(KeyboardSensor, { coordinateGetter: sortableKeyboardCoordinates }),
  );
  const move = ({ active, over }: DragEndEvent): void => {
    if (!over || active.id === over.id) return;
    const [from, to] = [active.id, over.id].map((id) => positions.get(String(id))!) as [number, number];
    const position = { at: from < to ? ('below' as const) : ('above' as const), name: String(over.id) };
    onMove({ kind: 'move-rule', fence, rule: String(active.id), position });
  };
  const findings = useRowFindings();
  const row: DrawRow = (rule, index, measure) => (
    <RuleRow
      key={rule.name}
      fence={fence}
      rule={rule}
      position={positions.get(rule.name)!}
      tally={tallies.get(`${fence}/${rule.name}`)}
      finding={findings.get(`${fence}/${rule.name}`)}
      most={most}
      actions={actions}
      isSelected={selected.has(rule.name)}
      isCompact={isCompact}
      index={index}
      measure={measure}
    />
  );
  return (
    <DndContext
      sensors={sensors}
      collisionDetection={closestCenter}
      onDragEnd={move}
      accessibility={{ announcements: announce(positions), screenReaderInstructions: INSTRUCTIONS }}
    >
      <SortableContext items={rules.map(({ name }) => name)} strategy={verticalListSortingStrategy}>
        {isLong ? <RowsInView rules={rules} row={row} /> : <ol>{rules.map((rule) => row(rule))}</ol>}
      </SortableContext>
    </DndContext>
  );
}

const INSTRUCTIONS = {
  draggable: 'To move the rule, press space, then the arrow keys, and space again where it should be. Escape cancels.',
};

function announce(positions: ReadonlyMap<string, number>): Announcements {
  const at = (id: UniqueIdentifier | undefined): string => `position ${positions.get(String(id))} of ${positions.size}`;
  return {
    onDragStart: ({ active }) => `Rule ${active.id} is picked up at ${at(active.id)}.`,
    onDragOver: ({ active, over }) => (over ? `Rule ${active.id} would be at ${at(over.id)}.` : undefined),
    onDragEnd: ({ active, over }) => (over ? `Rule ${active.id} was moved to ${at(over.id)}.` : undefined),
    onDragCancel: ({ active }) => `Rule ${active.id} stays at ${at(active.id)}.`,
  };
}

function RowsInView({ rules, row }: { rules: readonly DraftRule[]; row: DrawRow }) {
  const list = useRef<HTMLOListElement>(null);
  const [scrollMargin, setScrollMargin] = useState<number>();
  // What is above on the page changes its height.
  useLayoutEffect(() => {
    const measure = (): void => {
      if (list.current) setScrollMargin(Math.round(list.current.getBoundingClientRect().top + window.scrollY));
    };
    measure();
    const observer = new ResizeObserver(measure);
    observer.observe(document.body);
    return () => observer.disconnect();
  }, []);
  const virtualizer = useWindowVirtualizer({
    count: rules.length,
    estimateSize: () => ROW_PIXELS,
    getItemKey: (index) => rules[index]!.name,
    overscan: OVERSCAN,
    scrollMargin,
    // Before it is known where the fence is on the page, none of its rows is in view.
    enabled: scrollMargin !== undefined,
  });
  const items = virtualizer.getVirtualItems();
  return (
    <ol
      ref={list}
      style={{ height: scrollMargin === undefined ? rules.length * ROW_PIXELS : virtualizer.getTotalSize() }}
    >
      <li aria-hidden style={{ height: items.length > 0 ? items[0]!.start - (scrollMargin ?? 0) : 0 }} />
      {items.map(({ index }) => row(rules[index]!, index, virtualizer.measureElement))}
    </ol>
  );
}
