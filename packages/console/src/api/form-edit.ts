import { useQuery } from '@tanstack/react-query';
import type { EditResult } from '@jadefence/contract';
import { useState } from 'react';
import { hasProblem } from './client.js';
import { useEdit } from './edit.js';
import { draftQuery } from './queries.js';

/**
 * Edits of a form that was opened a while ago. What another user changed since of the same thing is not overwritten
 * unless the user agrees.
 */
export function useFormEdit(onDone: (result: EditResult) => void) {
  const draft = useQuery(draftQuery).data;
  const [version, setVersion] = useState(draft?.version);
  const edit = useEdit(onDone, version);
  return {
    ...edit,
    /** What is in the form takes the place of what the other user made of it, at the next attempt. */
    keepMine: hasProblem(edit.error, 'edit-conflict')
      ? (): void => {
          setVersion(draft?.version);
          edit.reset();
        }
      : undefined,
  };
}
