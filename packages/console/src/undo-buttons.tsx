import { ArrowUturnLeftIcon, ArrowUturnRightIcon } from '@heroicons/react/20/solid';
import { useMutation, useQuery, useQueryClient } from '@tanstack/react-query';
import { useEffect } from 'react';
import { service } from './api/client.js';
import { draftStepsQuery } from './api/queries.js';
import { Button } from './components/button.js';
import { ErrorNotice } from './components/loaded.js';
import { isWriting } from './keys.js';

/** Takes back what this user did last to the draft, and takes it again; by keys, too. */
export function UndoButtons() {
  const steps = useQuery(draftStepsQuery).data;
  const client = useQueryClient();
  const onSettled = () => void client.invalidateQueries({ queryKey: ['draft'] });
  // After the edits that are still on their way.
  const scope = { id: 'draft' };
  const undo = useMutation({ scope, mutationFn: service.undo, onSettled });
  const redo = useMutation({ scope, mutationFn: service.redo, onSettled });
  const isBusy = undo.isPending || redo.isPending;
  const act = (direction: 'undo' | 'redo'): void => {
    undo.reset();
    redo.reset();
    (direction === 'undo' ? undo : redo).mutate();
  };
  useUndoKeys((direction) => {
    if (!isBusy && steps?.[direction]) act(direction);
  });
  const error = undo.error ?? redo.error;
  return (
    <div className="grid gap-1">
      <div className="flex gap-1" role="group" aria-label="Edits of the draft">
        {(['undo', 'redo'] as const).map((direction) => {
          const step = steps?.[direction];
          const Icon = direction === 'undo' ? ArrowUturnLeftIcon : ArrowUturnRightIcon;
          const word = direction === 'undo' ? 'Undo' : 'Redo';
          return (
            <Button
              key={direction}
              size="small"
              disabled={!step || isBusy}
              title={step ? `${word}: ${step.summary}` : undefined}
              aria-keyshortcuts={direction === 'undo' ? 'Control+Z' : 'Control+Shift+Z'}
              onClick={() => act(direction)}
            >
              <Icon aria-hidden className="size-4" />
              {word}
            </Button>
          );
        })}
      </div>
      {error && <ErrorNotice error={error} />}
    </div>
  );
}

/** Ctrl+Z and Ctrl+Shift+Z, or Ctrl+Y, where no text is written, which has its own undo. */
function useUndoKeys(onKey: (direction: 'undo' | 'redo') => void): void {
  useEffect(() => {
    const listen = (event: KeyboardEvent): void => {
      if (!(event.ctrlKey || event.metaKey) || event.altKey || isWriting(event.target)) return;
      const key = event.key.toLowerCase();
      if (key !== 'z' && key !== 'y') return;
      event.preventDefault();
      onKey(key === 'y' || event.shiftKey ? 'redo' : 'undo');
    };
    window.addEventListener('keydown', listen);
    return () => window.removeEventListener('keydown', listen);
  });
}
