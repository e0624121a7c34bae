import { Dialog, DialogPanel, DialogTitle } from '@headlessui/react';
import { useEffect, useState, type ReactNode } from 'react';
import { useBlocker } from 'react-router';
import { Button } from './button.js';

/**
 * Warns before something that was written and not saved would be lost: when its dialog is closed, another page is opened,
 * or the tab is closed or loaded again.
 */
export function useUnsaved(isDirty: boolean): {
  /** Does it at once where nothing would be lost, else when the user agrees. */
  readonly leave: (then: () => void) => void;
  /** The question, to be placed in what it is about. */
  readonly question: ReactNode;
} {
  const [pending, setPending] = useState<() => void>();
  const blocker = useBlocker(isDirty);
  useEffect(() => {
    if (!isDirty) return;
    const warn = (event: BeforeUnloadEvent): void => event.preventDefault();
    window.addEventListener('beforeunload', warn);
    return () => window.removeEventListener('beforeunload', warn);
  }, [isDirty]);
  const isAsking = pending !== undefined || blocker.state === 'blocked';
  const stay = (): void => {
    setPending(undefined);
    if (blocker.state === 'blocked') blocker.reset();
  };
  const discard = (): void => {
    setPending(undefined);
    pending?.();
    if (blocker.state === 'blocked') blocker.proceed();
  };
  return {
    leave: (then) => (isDirty ? setPending(() => then) : then()),
    question: isAsking && <Question onStay={stay} onDiscard={discard} />,
  };
}

function Question({ onStay, onDiscard }: { onStay: () => void; onDiscard: () => void }) {
  return (
    <Dialog open onClose={onStay} role="alertdialog" className="relative z-50">
      <div className="fixed inset-0 bg-black/40" aria-hidden />
      <div className="fixed inset-0 grid place-items-center p-4">
        <DialogPanel className="max-w-md rounded-xl border border-line bg-surface p-5 shadow-2xl">
          <DialogTitle className="font-semibold">Discard what you wrote?</DialogTitle>
          <p className="mt-1 text-sm text-muted">It is not saved.</p>
          <div className="mt-4 flex justify-end gap-2">
            <Button autoFocus onClick={onStay}>
              Keep editing
            </Button>
            <Button look="primary" onClick={onDiscard}>
              Discard
            </Button>
          </div>
        </DialogPanel>
      </div>
    </Dialog>
  );
}
