import { DialogPanel, DialogTitle } from '@headlessui/react';
import { useMutation } from '@tanstack/react-query';
import type { RuleSuggestion, RuleSuggestions } from '@jadefence/contract';
import { useState } from 'react';
import { service } from '../../api/client.js';
import { useEdit } from '../../api/edit.js';
import { Button } from '../../components/button.js';
import { ErrorNotice, Loading } from '../../components/loaded.js';
import { Modal } from '../../components/modal.js';
import { TextField } from '../../components/text-field.js';
import { countOf, formatCount, formatShare } from '../../format.js';

/** Suggests rules that stop what the filter finds and spare the others. @param chosen how many, where each was chosen */
export function SuggestButton({ replayId, stop, chosen }: { replayId: number; stop: string; chosen?: number }) {
  const [isOpen, setOpen] = useState(false);
  return (
    <>
      <Button size="small" onClick={() => setOpen(true)}>
        {chosen === undefined ? 'Suggest a rule …' : `Suggest a rule for ${formatCount(chosen)} chosen …`}
      </Button>
      {isOpen && <SuggestDialog replayId={replayId} stop={stop} onClose={() => setOpen(false)} />}
    </>
  );
}

function SuggestDialog({ replayId, stop, onClose }: { replayId: number; stop: string; onClose: () => void }) {
  const [spare, setSpare] = useState('');
  const search = useMutation({
    mutationFn: () => service.suggestRules(replayId, { stop, ...(spare.trim() === '' ? {} : { spare: spare.trim() }) }),
  });
  return (
    <Modal onClose={onClose}>
      <DialogPanel className="mx-auto max-w-3xl rounded-xl bg-surface p-6 text-sm shadow-xl">
        <div className="flex items-center justify-between gap-3">
          <DialogTitle className="text-lg font-semibold">Rules that stop these requests</DialogTitle>
          <Button size="small" onClick={onClose}>
            Close
          </Button>
        </div>
        <p className="mt-2">
          To be stopped: <code className="font-mono text-xs wrap-anywhere">{stop}</code>
        </p>
        <form
          className="my-3 flex flex-wrap items-end gap-3"
          onSubmit={(event) => {
            event.preventDefault();
            search.mutate();
          }}
        >
          <div className="min-w-64 grow">
            <TextField
              label="To be spared (a filter; all others where empty)"
              value={spare}
              placeholder="client in trusted"
              onChange={(event) => setSpare(event.target.value)}
            />
          </div>
          <Button look="primary" type="submit" disabled={search.isPending}>
            Search
          </Button>
        </form>
        {search.error && <ErrorNotice error={search.error} />}
        {search.isPending && <Loading />}
        {search.data && <Suggestions suggestions={search.data} />}
      </DialogPanel>
    </Modal>
  );
}

function Suggestions({ suggestions }: { suggestions: RuleSuggestions }) {
  const { chosen, spared, rules } = suggestions;
  const edit = useEdit();
  const [added, setAdded] = useState<string>();
  if (rules.length === 0)
    return <p role="status">Nothing was found that these {formatCount(chosen)} have in common.</p>;
  return (
    <>
      <p role="status" className="text-muted">
        {countOf(chosen, 'request')} to stop, {formatCount(spared)} to spare; counted over the whole log.
      </p>
      {edit.error && <ErrorNotice error={edit.error} />}
      <ul className="mt-2 divide-y divide-line">
        {rules.map((rule) => (
          <li key={rule.text} className="flex items-start gap-3 py-2">
            <div className="min-w-0 grow">
              <code className="font-mono text-xs wrap-anywhere">
                {rule.action} when {rule.condition}
              </code>
              <p>
                stops {formatCount(rule.stopped)} ({formatShare(rule.stopped / chosen)}),{' '}
                <Besides rule={rule} spared={spared} />
              </p>
            </div>
            {rule.edits && (
              <Button
                size="small"
                className="shrink-0 whitespace-nowrap"
                disabled={edit.isPending || added !== undefined}
                title={`At the top of the fence ${rule.fence}`}
                onClick={() => edit.mutate(rule.edits!, { onSuccess: () => setAdded(rule.text) })}
              >
                {added === rule.text ? 'On trial in the draft' : 'Put on trial'}
              </Button>
            )}
          </li>
        ))}
      </ul>
    </>
  );
}

function Besides({ rule: { collateral, clients }, spared }: { rule: RuleSuggestion; spared: number }) {
  if (collateral === 0) return <>nothing besides</>;
  return (
    <span className="text-limited">
      besides {formatCount(collateral)} ({formatShare(collateral / spared)}), of{' '}
      {clients
        .slice(0, 3)
        .map(({ client }) => client)
        .join(', ')}
    </span>
  );
}
