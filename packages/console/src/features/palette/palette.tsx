import { lazy, Suspense, useEffect, useState } from 'react';
import { isWriting } from '../../keys.js';

const GoTo = lazy(() => import('./go-to.js'));
const Shortcuts = lazy(() => import('./shortcuts.js'));

/** Ctrl+K leads to anything by its name, `?` shows the keys there are; both are loaded when they are opened. */
export function Palette() {
  const [open, setOpen] = useState<'go-to' | 'shortcuts'>();
  useEffect(() => {
    const listen = (event: KeyboardEvent): void => {
      if ((event.ctrlKey || event.metaKey) && event.key.toLowerCase() === 'k') {
        event.preventDefault();
        setOpen('go-to');
      } else if (event.key === '?' && !isWriting(event.target)) setOpen('shortcuts');
    };
    window.addEventListener('keydown', listen);
    return () => window.removeEventListener('keydown', listen);
  }, []);
  const close = (): void => setOpen(undefined);
  return (
    <Suspense>
      {open === 'go-to' && <GoTo onClose={close} onKeys={() => setOpen('shortcuts')} />}
      {open === 'shortcuts' && <Shortcuts onClose={close} />}
    </Suspense>
  );
}
