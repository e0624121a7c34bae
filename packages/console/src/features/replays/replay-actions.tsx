import { Popover, PopoverButton, PopoverPanel } from '@headlessui/react';
import { useMutation, useQueryClient } from '@tanstack/react-query';
import type { Replay } from '@jadefence/contract';
import { useState } from 'react';
import { useNavigate } from 'react-router';
import { hasProblem, service } from '../../api/client.js';
import { Button } from '../../components/button.js';
import { ErrorNotice } from '../../components/loaded.js';
import { TextField } from '../../components/text-field.js';
import { saveFile } from '../../save-file.js';

/** Naming a replay, and deleting it. */
export function ReplayActions({ replay }: { replay: Replay }) {
  return (
    <span className="flex flex-wrap items-start gap-2">
      {replay.state === 'done' && <ReportButton id={replay.id} />}
      <RenameButton replay={replay} />
      <DeleteButton id={replay.id} />
    </span>
  );
}

/** Saves one page of HTML that is sent to others. */
function ReportButton({ id }: { id: number }) {
  const report = useMutation({
    mutationFn: async () => {
      const { loadReport, renderReport } = await import('@jadefence/contract');
      saveFile(`replay-${id}.html`, renderReport(await loadReport(service, id)), 'text/html');
    },
  });
  return (
    <span>
      <Button disabled={report.isPending} onClick={() => report.mutate()}>
        Report
      </Button>
      {report.error && <ErrorNotice error={report.error} />}
    </span>
  );
}

function RenameButton({ replay }: { replay: Replay }) {
  const client = useQueryClient();
  const [name, setName] = useState(replay.name ?? '');
  const rename = useMutation({
    mutationFn: () => service.renameReplay(replay.id, name.trim()),
    onSuccess: () => client.invalidateQueries({ queryKey: ['replays'] }),
  });
  return (
    <Popover>
      <PopoverButton as={Button}>Rename</PopoverButton>
      <PopoverPanel
        anchor="bottom end"
        className="z-40 w-80 max-w-[calc(100vw-2rem)] rounded-xl border border-line bg-surface p-4 text-sm shadow-xl [--anchor-gap:6px]"
      >
        {({ close }) => (
          <form
            onSubmit={(event) => {
              event.preventDefault();
              rename.mutate(undefined, { onSuccess: () => close() });
            }}
            className="grid gap-3"
          >
            <TextField
              label="Name; empty for none"
              value={name}
              maxLength={200}
              autoFocus
              onChange={(event) => setName(event.target.value)}
            />
            {rename.error && <ErrorNotice error={rename.error} />}
            <Button type="submit" look="primary" className="justify-self-end" disabled={rename.isPending}>
              Save name
            </Button>
          </form>
        )}
      </PopoverPanel>
    </Popover>
  );
}

/** The first press only warns; where comparisons show the replay, the second names them. */
function DeleteButton({ id }: { id: number }) {
  const client = useQueryClient();
  const navigate = useNavigate();
  const [isConfirming, setConfirming] = useState(false);
  const remove = useMutation({
    mutationFn: (isForced: boolean) => service.deleteReplay(id, isForced),
    onSuccess: async () => {
      await navigate('/replays');
      client.removeQueries({ queryKey: ['replays', id] });
      await Promise.all(['replays', 'comparisons'].map((noun) => client.invalidateQueries({ queryKey: [noun] })));
    },
  });
  const isUsed = hasProblem(remove.error, 'replay-in-use');
  return (
    <span className="grid max-w-xs gap-2">
      <Button
        className="justify-self-end"
        disabled={remove.isPending}
        onClick={() => (isConfirming ? remove.mutate(isUsed) : setConfirming(true))}
      >
        {isUsed ? 'Delete it with its comparisons' : isConfirming ? 'Really delete it' : 'Delete'}
      </Button>
      {remove.error && <ErrorNotice error={remove.error} />}
    </span>
  );
}
