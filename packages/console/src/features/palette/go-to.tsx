import {
  Combobox,
  ComboboxInput,
  ComboboxOption,
  ComboboxOptions,
  Dialog,
  DialogPanel,
  DialogTitle,
} from '@headlessui/react';
import { useQuery } from '@tanstack/react-query';
import { useState } from 'react';
import { useNavigate } from 'react-router';
import { draftQuery, logsQuery, replaysQuery } from '../../api/queries.js';
import { findTargets, targetsOf, type Target } from './targets.js';

/** Anything of the console by its name. */
export default function GoTo({ onClose }: { onClose: () => void }) {
  const draft = useQuery(draftQuery).data;
  const logs = useQuery(logsQuery()).data;
  const replays = useQuery(replaysQuery()).data;
  const [wanted, setWanted] = useState('');
  const navigate = useNavigate();
  const targets = findTargets(targetsOf({ draft, logs, replays }), wanted);
  const choose = (target: Target | null): void => {
    if (!target) return;
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
              placeholder="A page, rule, list, gate, log or replay"
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
          {targets.length === 0 && <p className="px-4 pb-3 text-sm text-muted">Nothing has this name.</p>}
        </DialogPanel>
      </div>
    </Dialog>
  );
}
