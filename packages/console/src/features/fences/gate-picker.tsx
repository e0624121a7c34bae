import { Popover, PopoverButton, PopoverPanel } from '@headlessui/react';
import { useQuery } from '@tanstack/react-query';
import type { DraftFence, Edit } from '@jadefence/contract';
import { draftQuery } from '../../api/queries.js';

/** The gates of a fence, and ticks to attach it to others, as the last in their order. */
export function GatePicker({ fence, onChange }: { fence: DraftFence; onChange: (edit: Edit) => void }) {
  const gates = useQuery(draftQuery).data?.gates ?? [];
  const where = fence.gates.length > 0 ? `at ${fence.gates.join(', ')}` : 'at no gate, so it is never evaluated';
  const toggle = (gate: string): void =>
    onChange(
      fence.gates.includes(gate)
        ? { kind: 'detach', gate, fence: fence.name }
        : { kind: 'attach', gate, fence: fence.name, position: { at: 'bottom' } },
    );
  return (
    <Popover>
      <PopoverButton
        aria-label={`Gates of ${fence.name}`}
        className="rounded-lg px-2 py-0.5 underline decoration-dotted underline-offset-4 hover:bg-sunken"
      >
        {where}
      </PopoverButton>
      <PopoverPanel
        anchor="bottom end"
        className="z-20 rounded-lg border border-line bg-surface p-3 text-sm text-ink shadow-lg [--anchor-gap:4px]"
      >
        {gates.length === 0 && <p className="text-muted">The draft has no gate.</p>}
        {gates.map(({ name }) => (
          <label key={name} className="flex cursor-pointer items-center gap-2 py-0.5">
            <input
              type="checkbox"
              checked={fence.gates.includes(name)}
              onChange={() => toggle(name)}
              className="accent-jade"
            />
            {name}
          </label>
        ))}
      </PopoverPanel>
    </Popover>
  );
}
