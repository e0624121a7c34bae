import { DialogPanel, DialogTitle } from '@headlessui/react';
import { useMutation, useQuery, useQueryClient } from '@tanstack/react-query';
import { useState, type FormEvent } from 'react';
import { service } from '../../api/client.js';
import { draftQuery } from '../../api/queries.js';
import { Button } from '../../components/button.js';
import { ErrorNotice } from '../../components/loaded.js';
import { Modal } from '../../components/modal.js';
import { TextField } from '../../components/text-field.js';
import { Diff } from './diff.js';

/** Publishing an earlier revision again: what that changes comes first. */
export function RestoreForm({ number, onClose }: { number: number; onClose: () => void }) {
  const published = useQuery(draftQuery).data?.published;
  const client = useQueryClient();
  const [note, setNote] = useState(`Restores revision ${number}`);
  const restore = useMutation({
    mutationFn: () => service.restore(number, note),
    onSuccess: onClose,
    onSettled: () => client.invalidateQueries(),
  });
  const submit = (event: FormEvent): void => {
    event.preventDefault();
    restore.mutate();
  };
  return (
    <Modal onClose={onClose}>
      <DialogPanel
        as="form"
        onSubmit={submit}
        className="mx-auto grid max-w-3xl gap-4 rounded-xl border border-line bg-surface p-4 text-sm shadow-2xl md:p-6"
      >
        <DialogTitle className="text-lg font-semibold">Publish revision {number} again</DialogTitle>
        <p>It becomes a new revision. The draft stays as it is; discard its changes afterwards if it should follow.</p>
        {typeof published === 'number' && (
          <section className="max-h-80 overflow-y-auto rounded-lg border border-line p-3" aria-label="What changes">
            <h3 className="mb-2 font-medium">What changes of what is published, revision {published}</h3>
            <Diff from={published} to={number} />
          </section>
        )}
        <TextField label="Note" required value={note} onChange={(event) => setNote(event.target.value)} />
        {restore.error && <ErrorNotice error={restore.error} />}
        <div className="flex justify-end gap-2">
          <Button onClick={onClose}>Cancel</Button>
          <Button type="submit" look="primary" disabled={note.trim() === '' || restore.isPending}>
            Publish again
          </Button>
        </div>
      </DialogPanel>
    </Modal>
  );
}
