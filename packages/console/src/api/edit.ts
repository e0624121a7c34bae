import { useMutation, useQueryClient } from '@tanstack/react-query';
import type { Edit, EditResult } from '@jadefence/contract';
import { rememberList } from '../last-list.js';
import { service } from './client.js';
import { applyToDraft } from './optimistic.js';
import { draftQuery } from './queries.js';

const EDITS = ['draft', 'edit'];

/**
 * Edits the draft on the version that is shown, so that what another user changed meanwhile is reported and not
 * overwritten. What the edit does is shown at once, and taken back where it is refused. Everything that shows the draft is
 * requested again in either case.
 * @param seenVersion where what is edited was opened earlier, the version that it was opened on
 */
export function useEdit(onDone?: (result: EditResult) => void, seenVersion?: number) {
  const client = useQueryClient();
  const { queryKey } = draftQuery;
  return useMutation({
    mutationKey: EDITS,
    // One after the other, so that each is made on the version that the one before it left.
    scope: { id: 'draft' },
    mutationFn: async (edits: readonly Edit[]) => {
      const { version } = await client.ensureQueryData(draftQuery);
      return service.edit(edits, seenVersion ?? version);
    },
    onMutate: async (edits) => {
      // An answer on its way would show the draft as it was.
      await client.cancelQueries({ queryKey, exact: true });
      const before = client.getQueryData(queryKey);
      if (before) client.setQueryData(queryKey, applyToDraft(before, edits));
      return { before };
    },
    onError: (_error, _edits, context) => {
      const { before } = context ?? {};
      // Edits before this one may have been made meanwhile.
      if (before) client.setQueryData(queryKey, (draft) => ({ ...before, version: draft?.version ?? before.version }));
    },
    onSuccess: (result, edits) => {
      for (const edit of edits) if (edit.kind === 'edit-list' && edit.add.length > 0) rememberList(edit.list);
      // What we changed ourselves we have seen.
      client.setQueryData(queryKey, (draft) => draft && { ...draft, version: result.version });
      onDone?.(result);
    },
    onSettled: () => {
      // What is still to be made is shown already; an answer in between would show the draft without it.
      if (client.isMutating({ mutationKey: EDITS }) === 1) void client.invalidateQueries({ queryKey });
    },
  });
}
