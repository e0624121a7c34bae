import { Dialog } from '@headlessui/react';
import type { ReactNode } from 'react';

/** What is around a form that covers the page; the form itself is a `DialogPanel`. @param isOnTop another may be open below it */
export function Modal({
  onClose,
  isOnTop = false,
  children,
}: {
  onClose: () => void;
  isOnTop?: boolean;
  children: ReactNode;
}) {
  return (
    <Dialog open onClose={onClose} className={`relative ${isOnTop ? 'z-40' : 'z-30'}`}>
      <div className="fixed inset-0 bg-black/40" aria-hidden />
      <div className="fixed inset-0 overflow-y-auto p-3 md:p-8">{children}</div>
    </Dialog>
  );
}
