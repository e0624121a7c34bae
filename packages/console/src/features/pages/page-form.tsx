import type { PageFile } from '@jadefence/core/edit';
import { checkPage, DEFAULT_PAGES, defaultPageText, PLACEHOLDERS } from '@jadefence/core/pages';
import { DialogPanel, DialogTitle } from '@headlessui/react';
import { useState, type FormEvent } from 'react';
import { useFormEdit } from '../../api/form-edit.js';
import { Button } from '../../components/button.js';
import { EditError } from '../../components/edit-error.js';
import { Modal } from '../../components/modal.js';
import { INPUT_STYLE, TextField } from '../../components/text-field.js';
import { useUnsaved } from '../../components/unsaved.js';
import { BUILT_IN_TEXTS } from './built-in.js';
import { PagePreview } from './page-preview.js';

const FIRST_TEXT = defaultPageText('block');
/** Creates a page, or edits one, with a preview. */
export function PageForm({ old, onClose }: { old?: PageFile; onClose: () => void }) {
  const [name, setName] = useState(old?.name ?? '');
  const [text, setText] = useState(old?.text ?? FIRST_TEXT);
  const problems = checkPage(text);
  const edit = useFormEdit(onClose);
  const isChanged = name !== (old?.name ?? '') || text !== (old?.text ?? FIRST_TEXT);
  const unsaved = useUnsaved(isChanged && !edit.isSuccess);
  const cancel = (): void => unsaved.leave(onClose);
  const submit = (event: FormEvent): void => {
    event.preventDefault();
    const path = old?.path ?? `pages/${name}.html`;
    edit.mutate([
      { kind: 'put-file', path, text },
      ...(old ? [] : [{ kind: 'put' as const, text: `page ${name} "${path}"`, part: 'page' as const, isNew: true }]),
    ]);
  };
  return (
    <Modal onClose={cancel}>
      <DialogPanel
        as="form"
        onSubmit={submit}
        className="mx-auto grid max-w-5xl gap-4 rounded-xl border border-line bg-surface p-4 shadow-2xl md:p-6"
      >
        {unsaved.question}
        <DialogTitle className="text-lg font-semibold">{old ? `Edit page ${old.name}` : 'New page'}</DialogTitle>
        {!old && (
          <div className="flex flex-wrap items-end gap-4">
            <TextField
              label="Name"
              required
              value={name}
              placeholder="closed"
              autoFocus
              onChange={(event) => setName(event.target.value)}
            />
            <div className="flex flex-wrap items-center gap-2 text-sm">
              Begin with
              {DEFAULT_PAGES.map((page) => (
                <Button key={page} size="small" onClick={() => setText(defaultPageText(page))}>
                  {BUILT_IN_TEXTS[page]}
                </Button>
              ))}
            </div>
          </div>
        )}
        <div className="grid gap-4 lg:grid-cols-2">
          <label className="text-sm">
            <span className="font-medium">The page as HTML</span>{' '}
            <span className="text-muted">with {PLACEHOLDERS.map((placeholder) => `{{${placeholder}}}`).join(' ')}</span>
            <textarea
              rows={14}
              value={text}
              onChange={(event) => setText(event.target.value)}
              className={`mt-1 font-mono text-xs ${INPUT_STYLE}`}
            />
          </label>
          <div className="text-sm">
            <p className="font-medium">As a client sees it</p>
            <div className="mt-1 overflow-hidden rounded-lg border border-line">
              <PagePreview name={name || 'new'} text={text} />
            </div>
          </div>
        </div>
        {problems.slice(0, 5).map(({ line, message, hint }) => (
          <p key={`${line} ${message}`} role="alert" className="text-sm text-blocked">
            Line {line}: {message} {hint}
          </p>
        ))}
        <EditError error={edit.error} keepMine={edit.keepMine} />
        <div className="flex justify-end gap-2">
          <Button onClick={cancel}>Cancel</Button>
          <Button type="submit" look="primary" disabled={name === '' || problems.length > 0 || edit.isPending}>
            {old ? 'Save page' : 'Create page'}
          </Button>
        </div>
      </DialogPanel>
    </Modal>
  );
}
