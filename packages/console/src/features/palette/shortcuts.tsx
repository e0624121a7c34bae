import { Dialog, DialogPanel, DialogTitle } from '@headlessui/react';
import { Button } from '../../components/button.js';

const KEYS = [
  ['Ctrl K', 'Go to a page, rule, list, gate, log or replay'],
  ['Ctrl Z', 'Undo your latest edit of the draft'],
  ['Ctrl Shift Z', 'Redo it'],
  ['Space, arrows, Space', 'On the handle of a rule: move it'],
  ['Escape', 'Close what is open'],
  ['?', 'Show these keys'],
] as const;

export default function Shortcuts({ onClose }: { onClose: () => void }) {
  return (
    <Dialog open onClose={onClose} className="relative z-40">
      <div className="fixed inset-0 bg-black/40" aria-hidden />
      <div className="fixed inset-0 grid place-items-center p-4">
        <DialogPanel className="max-w-lg rounded-xl border border-line bg-surface p-5 shadow-2xl">
          <DialogTitle className="font-semibold">Keys</DialogTitle>
          <dl className="mt-3 grid grid-cols-[auto_1fr] items-baseline gap-x-4 gap-y-2 text-sm">
            {KEYS.map(([keys, text]) => (
              <div key={keys} className="contents">
                <dt>
                  <kbd className="rounded border border-line bg-sunken px-1.5 py-0.5 font-mono text-xs">{keys}</kbd>
                </dt>
                <dd>{text}</dd>
              </div>
            ))}
          </dl>
          <Button autoFocus className="mt-4" onClick={onClose}>
            Close
          </Button>
        </DialogPanel>
      </div>
    </Dialog>
  );
}
