import { useMutation, useQueryClient } from '@tanstack/react-query';
import type { Finding, PartSelector } from '@jadefence/contract';
import { useState } from 'react';
import { service } from '../../api/client.js';
import { findingsQuery } from '../../api/queries.js';
import { Button } from '../../components/button.js';
import { TextField } from '../../components/text-field.js';
import { countOf } from '../../format.js';
import { ProblemList } from './problem-list.js';
import { PublishWarnings } from './publish-warnings.js';

/**
 * The note, and publishing. What the review warns of is shown before, and does not keep from it.
 * @param only statements that are published alone; all if absent
 */
export function PublishForm({
  version,
  only,
  isDiscarding,
  onDiscard,
  onPublished,
}: {
  version: number;
  only: readonly PartSelector[] | undefined;
  isDiscarding: boolean;
  onDiscard: () => void;
  onPublished: () => void;
}) {
  const [note, setNote] = useState('');
  /** What is confirmed by publishing; undefined until publishing began. */
  const [warnings, setWarnings] = useState<readonly Finding[]>();
  const client = useQueryClient();
  const publish = useMutation({
    mutationFn: (isForced: boolean) =>
      service.publish({ note, ...(only ? { only: [...only] } : {}), ...(isForced ? { isForced } : {}) }, version),
    onSuccess: () => {
      setNote('');
      setWarnings(undefined);
      onPublished();
    },
    onSettled: () => client.invalidateQueries(),
  });
  /** Publishes, once the review has no warnings or they were shown. What keeps it from being read is reported by publishing. */
  const begin = useMutation({
    mutationFn: async () => {
      const review = await client.fetchQuery(findingsQuery).catch(() => undefined);
      return review?.findings.filter(({ level }) => level === 'warning') ?? [];
    },
    onSuccess: (found) => {
      if (found.length > 0 && !warnings) setWarnings(found);
      else publish.mutate(false);
    },
  });
  const label = warnings
    ? `Publish with ${countOf(warnings.length, 'warning')}`
    : only
      ? 'Publish what is ticked'
      : 'Publish';
  return (
    <>
      <div className="flex flex-wrap items-end gap-3 border-t border-line pt-4">
        <TextField
          label="Note: what changes, and why"
          value={note}
          onChange={(event) => setNote(event.target.value)}
          className="min-w-60 grow"
        />
        <Button disabled={isDiscarding} onClick={onDiscard}>
          Discard all changes
        </Button>
        <Button
          look="primary"
          disabled={note.trim() === '' || begin.isPending || publish.isPending || only?.length === 0}
          onClick={() => begin.mutate()}
        >
          {label}
        </Button>
      </div>
      {warnings && <PublishWarnings warnings={warnings} />}
      {publish.error && <ProblemList error={publish.error} onForce={() => publish.mutate(true)} />}
    </>
  );
}
