import { DialogPanel, DialogTitle } from '@headlessui/react';
import { useMutation, useQuery, useQueryClient } from '@tanstack/react-query';
import type { FenceSources, ImportPreview } from '@jadefence/contract';
import { describeChange } from '@jadefence/core/edit';
import type { Diagnostic } from '@jadefence/core/language';
import { useState } from 'react';
import { service } from '../../api/client.js';
import { draftQuery } from '../../api/queries.js';
import { Button } from '../../components/button.js';
import { ChangeList } from '../../components/change-list.js';
import { Choice } from '../../components/choice.js';
import { ErrorNotice, Loaded } from '../../components/loaded.js';
import { Modal } from '../../components/modal.js';
import { readSources } from './sources.js';

const WAYS = [
  { value: 'merge', text: 'Add to the draft; what has the same name is replaced' },
  { value: 'replace', text: 'Replace the whole draft' },
] as const;

/** Fence files into the draft: what they would change is shown first. @param given the files, where they are not picked here */
export function ImportFences({ given, onClose }: { given?: FenceSources; onClose: (isDone: boolean) => void }) {
  const [picked, setPicked] = useState(given && { sources: given, atUnixMs: 0 });
  const [problem, setProblem] = useState<Error>();
  const [way, setWay] = useState<(typeof WAYS)[number]['value']>('merge');
  const pick = async (files: FileList | null): Promise<void> => {
    try {
      setProblem(undefined);
      setPicked({ sources: await readSources([...(files ?? [])]), atUnixMs: Date.now() });
    } catch (error) {
      setProblem(error as Error);
    }
  };
  return (
    <Modal onClose={() => onClose(false)}>
      <DialogPanel className="mx-auto grid max-w-3xl gap-4 rounded-xl border border-line bg-surface p-4 shadow-2xl md:p-6">
        <DialogTitle className="text-lg font-semibold">Import into the draft</DialogTitle>
        {!given && <FilePicker onPick={(files) => void pick(files)} />}
        {problem && <ErrorNotice error={problem} />}
        <Choice label="How" value={way} options={WAYS} onChange={setWay} />
        {picked ? (
          <Preview {...picked} isMerge={way === 'merge'} onClose={onClose} />
        ) : (
          <Button className="justify-self-end" onClick={() => onClose(false)}>
            Cancel
          </Button>
        )}
      </DialogPanel>
    </Modal>
  );
}

function FilePicker({ onPick }: { onPick: (files: FileList | null) => void }) {
  return (
    <div className="grid gap-3 text-sm sm:grid-cols-2">
      <label className="font-medium">
        Fence files, with the files that they name
        <input
          type="file"
          multiple
          accept=".fence,.txt,.html,text/plain"
          onChange={(event) => onPick(event.target.files)}
          className="mt-1 block w-full font-normal"
        />
      </label>
      <label className="font-medium">
        or a folder
        <input
          type="file"
          // The name that browsers have for it.
          {...{ webkitdirectory: '' }}
          onChange={(event) => onPick(event.target.files)}
          className="mt-1 block w-full font-normal"
        />
      </label>
    </div>
  );
}

function Preview({
  sources,
  atUnixMs,
  isMerge,
  onClose,
}: {
  sources: FenceSources;
  /** When they were picked, which they are known by. */
  atUnixMs: number;
  isMerge: boolean;
  onClose: (isDone: boolean) => void;
}) {
  const client = useQueryClient();
  const preview = useQuery({
    queryKey: ['draft', 'import-preview', atUnixMs, isMerge],
    queryFn: () => service.previewImport(sources, isMerge),
    retry: false,
  });
  const write = useMutation({
    mutationFn: (version: number) => service.importFences(sources, isMerge, version),
    onSuccess: async () => {
      await client.invalidateQueries({ queryKey: draftQuery.queryKey });
      onClose(true);
    },
  });
  return (
    <>
      <Loaded query={preview}>{(data) => <Changes preview={data} />}</Loaded>
      {write.error && <ErrorNotice error={write.error} />}
      <div className="flex justify-end gap-2">
        <Button onClick={() => onClose(false)}>Cancel</Button>
        <Button
          look="primary"
          disabled={!preview.data || preview.data.changes.length === 0 || write.isPending}
          onClick={() => preview.data && write.mutate(preview.data.version)}
        >
          Import into the draft
        </Button>
      </div>
    </>
  );
}

function Changes({ preview: { changes, diagnostics, warnings } }: { preview: ImportPreview }) {
  return (
    <div className="grid gap-3">
      <Notes label="Errors: the draft could not be judged or published with them" notes={diagnostics} />
      <Notes label="To fix before publishing" notes={warnings} />
      {changes.length === 0 ? (
        <p>Nothing would change: the draft has all of it.</p>
      ) : (
        <div className="max-h-80 overflow-y-auto" role="region" aria-label="What would change" tabIndex={0}>
          <ChangeList changes={changes.map(describeChange)} />
        </div>
      )}
    </div>
  );
}

function Notes({ label, notes }: { label: string; notes: readonly Diagnostic[] }) {
  if (notes.length === 0) return null;
  return (
    <section className="rounded-lg bg-soft-limited px-3 py-2 text-sm text-limited">
      <h3 className="font-medium">{label}</h3>
      <ul className="mt-1 grid gap-1">
        {notes.map(({ place, message, hint }) => (
          <li key={`${place.file}:${place.line}:${place.column}:${message}`}>
            {place.file}:{place.line}:{place.column} {message} {hint}
          </li>
        ))}
      </ul>
    </section>
  );
}
