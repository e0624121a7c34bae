import { useMutation, useQueryClient } from '@tanstack/react-query';
import type { Edit, EditResult } from '@jadefence/contract';
import { service } from './client.js';
import { draftQuery } from './queries.js';

/**
 * Edits the draft on the version that is shown, so that what another user changed meanwhile is reported and not
 * overwritten. Everything that shows the draft is requested again, also where the edit was refused.
 * @param seenVersion where what is edited was opened earlier, the version that it was opened on
 */
export function useEdit(onDone?: (result: EditResult) => void, seenVersion?: number) {
  const client = useQueryClient();
  return useMutation({
    mutationFn: async (edits: readonly Edit[]) => {
      const { version } = await client.ensureQueryData(draftQuery);
      return service.edit(edits, seenVersion ?? version);
    },
    onSuccess: (result) => {
      // What we changed ourselves we have seen.
      client.setQueryData(draftQuery.queryKey, (draft) => draft && { ...draft, version: result.version });
      onDone?.(result);
    },
    onSettled: () => client.invalidateQueries({ queryKey: draftQuery.queryKey }),
  });
}
