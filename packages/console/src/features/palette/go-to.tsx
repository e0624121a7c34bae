import {
  Combobox,
  ComboboxInput,
  ComboboxOption,
  ComboboxOptions,
  Dialog,
  DialogPanel,
  DialogTitle,
} from '@headlessui/react';
import { useQuery, useQueryClient } from '@tanstack/react-query';
import { useDeferredValue, useState } from 'react';
import { useNavigate } from 'react-router';
import { service } from '../../api/client.js';
import { draftQuery, draftStepsQuery, logsQuery, lookupQuery, replaysQuery } from '../../api/queries.js';
import { setAppearance } from '../../appearance.js';
import { ErrorNotice } from '../../components/loaded.js';
import { actionsOf, entriesOf, findTargets, targetsOf, type Action, type Target } from './targets.js';

/** A value that lists can hold has a dot or a colon, or is the code of a country. */
const LOOKED_UP = /[.:]|^[A-Z]{2}$/;

/** Anything of the console by its name, what lists hold by its value, and what can be done from anywhere. */
export default function GoTo({ onClose, onKeys }: { onClose: () => void; onKeys: () => void }) {
  const draft = useQuery(draftQuery).data;
  const logs = useQuery(logsQuery()).data;
  const replays = useQuery(replaysQuery()).data;
  const [wanted, setWanted] = useState('');
  const navigate = useNavigate();
  const steps = useQuery(draftStepsQuery).data;
  const value = useDeferredValue(wanted.trim());
  const lookups = useQuery({ ...lookupQuery(value), enabled: LOOKED_UP.test(value) }).data ?? [];
  const named = findTargets([...targetsOf({ draft, logs, replays }), ...actionsOf(steps)], wanted);
  const targets = LOOKED_UP.test(value) ? [...entriesOf(lookups), ...named] : named;
  const act = useAct({ onKeys, onDone: onClose });
  const choose = (target: Target | null): void => {
    if (!target) return;
    if (target.kind === 'action') return act.run(target.action);
    onClose();
    void navigate(target.to);
  };
  return (
    <Dialog open onClose={onClose} className="relative z-40">
      <div className="fixed inset-0 bg-black/40" aria-hidden />
      <div className="fixed inset-0 overflow-y-auto p-3 pt-[12vh]">
        <DialogPanel className="mx-auto max-w-xl overflow-hidden rounded-xl border border-line bg-surface shadow-2xl">
          <DialogTitle className="sr-only">Go to</DialogTitle>
          <Combobox<Target> onChange={choose}>
            <ComboboxInput
              autoFocus
              aria-label="Go to"
              placeholder="A page, rule, list, gate, log, replay, action, or an address or host in a list"
              onChange={(event) => setWanted(event.target.value)}
              className="w-full border-b border-line bg-surface px-4 py-3 text-ink outline-none"
            />
            <ComboboxOptions static className="max-h-96 overflow-y-auto p-1 text-sm">
              {targets.map((target) => (
                <ComboboxOption
                  key={`${target.kind} ${target.text}`}
                  value={target}
                  className="flex cursor-pointer items-baseline gap-3 rounded-md px-3 py-1.5 data-focus:bg-jade-soft"
                >
                  <span className="w-16 shrink-0 text-xs text-muted">{target.kind}</span>
                  <span className="min-w-0 truncate">{target.text}</span>
                </ComboboxOption>
              ))}
            </ComboboxOptions>
          </Combobox>
          {act.error && <ErrorNotice error={act.error} />}
          {targets.length === 0 && <p className="px-4 pb-3 text-sm text-muted">Nothing has this name.</p>}
        </DialogPanel>
      </div>
    </Dialog>
  );
}

/** What is done is done before the palette closes; what fails stays to be read. */
function useAct({ onKeys, onDone }: { onKeys: () => void; onDone: () => void }) {
  const client = useQueryClient();
  const [error, setError] = useState<Error>();
  const later = (work: Promise<unknown>): void =>
    void work.then(onDone, setError).finally(() => client.invalidateQueries({ queryKey: ['draft'] }));
  const run = (action: Action): void => {
    switch (action) {
      case 'undo':
        return later(service.undo());
      case 'redo':
        return later(service.redo());
      case 'sign-out':
        void service
          .signOut()
          .then(onDone, setError)
          .finally(() => client.resetQueries());
        return;
      case 'keys':
        return onKeys();
      case 'light':
      case 'dark':
        setAppearance({ theme: action });
        return onDone();
    }
  };
  return { run, error };
}
