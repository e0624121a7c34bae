import { useMutation, useQueryClient } from '@tanstack/react-query';
import type { Edit, EditResult } from '@jadefence/contract';
import { service } from './client.js';
import { applyToDraft } from './optimistic.js';
import { draftQuery } from './queries.js';

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
      if (context?.before) client.setQueryData(queryKey, context.before);
    },
    onSuccess: (result) => {
      // What we changed ourselves we have seen.
      client.setQueryData(queryKey, (draft) => draft && { ...draft, version: result.version });
      onDone?.(result);
    },
    onSettled: () => client.invalidateQueries({ queryKey }),
  });
}
