import { Popover, PopoverButton, PopoverPanel } from '@headlessui/react';
import { PlusIcon } from '@heroicons/react/20/solid';
import { useQuery } from '@tanstack/react-query';
import { useEdit } from '../../api/edit.js';
import { startingPointsQuery } from '../../api/queries.js';
import { Button } from '../../components/button.js';
import { ErrorNotice } from '../../components/loaded.js';

/** A fence to begin from: one of ours, or an empty one. It arrives on trial, as draft rules to edit. */
export function StartFrom() {
  return (
    <Popover>
      <PopoverButton as={Button} look="primary">
        <PlusIcon aria-hidden className="size-4" />
        New fence
      </PopoverButton>
      <PopoverPanel
        anchor="bottom end"
        className="z-40 w-96 max-w-[calc(100vw-2rem)] rounded-xl border border-line bg-surface p-4 text-sm shadow-xl [--anchor-gap:6px]"
      >
        {({ close }) => <StartingPoints onDone={close} />}
      </PopoverPanel>
    </Popover>
  );
}

function StartingPoints({ onDone }: { onDone: () => void }) {
  const points = useQuery(startingPointsQuery).data ?? [];
  const edit = useEdit(onDone);
  return (
    <div className="grid gap-3">
      {edit.error && <ErrorNotice error={edit.error} />}
      {points.map(({ name, title, description }) => (
        <button
          key={name}
          type="button"
          disabled={edit.isPending}
          onClick={() => edit.mutate([{ kind: 'start-from', startingPoint: name }])}
          className="rounded-lg border border-line p-3 text-left hover:bg-sunken"
        >
          <span className="font-medium">{title}</span>
          <span className="mt-0.5 block text-muted">{description}</span>
        </button>
      ))}
      <form
        onSubmit={(event) => {
          event.preventDefault();
          const name = String(new FormData(event.currentTarget).get('name'));
          edit.mutate([{ kind: 'put', text: `fence ${name} trial { }`, part: 'fence', isNew: true }]);
        }}
        className="flex items-end gap-2 border-t border-line pt-3"
      >
        <label className="grow font-medium">
          An empty fence
          <input
            name="name"
            required
            placeholder="its name"
            className="mt-1 w-full rounded-lg border border-line bg-ground px-3 py-1.5 font-normal"
          />
        </label>
        <Button type="submit" disabled={edit.isPending}>
          Add fence
        </Button>
      </form>
    </div>
  );
}
