import { DialogPanel, DialogTitle } from '@headlessui/react';
import type { DraftFence, Edit } from '@jadefence/contract';
import { NAME } from '@jadefence/core/language';
import { useState, type FormEvent } from 'react';
import { useFormEdit } from '../../api/form-edit.js';
import { Button } from '../../components/button.js';
import { Choice } from '../../components/choice.js';
import { Modal } from '../../components/modal.js';
import { EditError } from '../../components/edit-error.js';
import { TextField } from '../../components/text-field.js';
import { useUnsaved } from '../../components/unsaved.js';
import { endingOf, fenceText } from './fence-head.js';

/** Name, title and end of a fence; its rules stay as they are. @param text the head of the fence as fence text */
export function FenceForm({ fence, text, onClose }: { fence: DraftFence; text: string; onClose: () => void }) {
  const [initial] = useState({ name: fence.name, title: fence.title ?? '', ending: endingOf(text) });
  const [fields, setFields] = useState(initial);
  const edit = useFormEdit(onClose);
  const unsaved = useUnsaved(fields !== initial && !edit.isSuccess);
  const cancel = (): void => unsaved.leave(onClose);
  const set = (change: Partial<typeof initial>): void => setFields({ ...fields, ...change });
  const isName = NAME.test(fields.name);
  const submit = (event: FormEvent): void => {
    event.preventDefault();
    const put: Edit = { kind: 'put', text: fenceText(fence, fields.title, fields.ending, text), part: 'fence' };
    const rename: Edit = { kind: 'rename', part: 'fence', name: fence.name, to: fields.name };
    edit.mutate(fields.name === fence.name ? [put] : [put, rename]);
  };
  const remove = (): void =>
    edit.mutate([
      ...fence.gates.map((gate): Edit => ({ kind: 'detach', gate, fence: fence.name })),
      { kind: 'remove', part: 'fence', name: fence.name },
    ]);
  const endings = ['continue', 'allow', 'block'];
  return (
    <Modal onClose={cancel}>
      <DialogPanel
        as="form"
        onSubmit={submit}
        className="mx-auto grid max-w-xl gap-4 rounded-xl border border-line bg-surface p-4 shadow-2xl md:p-6"
      >
        {unsaved.question}
        <DialogTitle className="text-lg font-semibold">Edit fence {fence.name}</DialogTitle>
        <TextField label="Title" value={fields.title} onChange={(event) => set({ title: event.target.value })} />
        <TextField
          label="Name"
          value={fields.name}
          problem={isName ? undefined : 'Expected a small letter, then small letters, digits and hyphens.'}
          onChange={(event) => set({ name: event.target.value })}
        />
        <Choice
          label="Where no rule ends it"
          value={fields.ending}
          options={[...endings, ...(endings.includes(fields.ending) ? [] : [fields.ending])].map((value) => ({
            value,
            text: value === 'continue' ? 'continue with the next fence' : value,
          }))}
          onChange={(ending) => set({ ending })}
        />
        <EditError error={edit.error} keepMine={edit.keepMine} />
        <div className="flex flex-wrap justify-between gap-2">
          <Button onClick={remove} disabled={edit.isPending} type="button">
            Delete fence
          </Button>
          <span className="flex gap-2">
            <Button onClick={cancel} type="button">
              Cancel
            </Button>
            <Button type="submit" look="primary" disabled={!isName || edit.isPending || fields === initial}>
              Save fence
            </Button>
          </span>
        </div>
      </DialogPanel>
    </Modal>
  );
}
