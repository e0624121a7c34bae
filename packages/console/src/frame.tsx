import { ArrowRightStartOnRectangleIcon, Bars3Icon } from '@heroicons/react/24/outline';
import { useMutation, useQuery, useQueryClient } from '@tanstack/react-query';
import { useEffect, useRef, useState } from 'react';
import { NavLink, Outlet, useLocation } from 'react-router';
import { service } from './api/client.js';
import { meQuery } from './api/queries.js';
import { Button } from './components/button.js';
import { shownFindings, useReview } from './features/findings/use-findings.js';
import { Palette } from './features/palette/palette.js';
import { LiveDraft } from './live-draft.js';
import { UndoButtons } from './undo-buttons.js';
import { PAGE_GROUPS } from './pages.js';

/** What is around every page: the way to the others, and what was done last. */
export function Frame() {
  const { pathname } = useLocation();
  const main = useRef<HTMLElement>(null);
  useFocusOnNavigation(main, pathname);
  return (
    <div className="md:grid md:min-h-screen md:grid-cols-[13rem_minmax(0,1fr)]">
      <a
        href="#main"
        className="sr-only z-40 rounded-lg bg-surface px-3 py-2 font-medium focus:not-sr-only focus:fixed focus:top-2 focus:left-2"
        onClick={(event) => {
          event.preventDefault();
          main.current?.focus();
        }}
      >
        Skip to the page
      </a>
      <LiveDraft />
      <Palette />
      {/* A page that is opened folds the navigation again. */}
      <Navigation key={pathname} />
      <main ref={main} id="main" tabIndex={-1} className="mx-auto w-full max-w-6xl p-4 outline-none md:px-8 md:py-6">
        <Outlet />
      </main>
    </div>
  );
}

/** After a change of page, keyboard and screen reader go on at its heading, as soon as that is there. */
function useFocusOnNavigation(main: React.RefObject<HTMLElement | null>, pathname: string): void {
  const isFirst = useRef(true);
  useEffect(() => {
    if (isFirst.current) {
      isFirst.current = false;
      return;
    }
    window.scrollTo(0, 0);
    const focusHeading = (): boolean => {
      const heading = main.current?.querySelector('h1');
      heading?.focus({ preventScroll: true });
      return heading != null;
    };
    if (focusHeading()) return;
    const observer = new MutationObserver(() => focusHeading() && observer.disconnect());
    observer.observe(main.current!, { childList: true, subtree: true });
    return () => observer.disconnect();
  }, [main, pathname]);
}

/** How many errors and warnings the draft has. */
function NumFindings() {
  const { draft, review } = useReview();
  const count = draft ? shownFindings(draft, review).filter(({ level }) => level !== 'note').length : 0;
  if (count === 0) return null;
  return (
    <span
      className="ml-auto rounded-full border border-line px-1.5 text-xs text-limited tabular-nums"
      title="Errors and warnings"
    >
      {count}
    </span>
  );
}

function Navigation() {
  const [isOpen, setOpen] = useState(false);
  const me = useQuery(meQuery);
  const client = useQueryClient();
  const signOut = useMutation({ mutationFn: service.signOut, onSettled: () => client.resetQueries() });
  return (
    <nav
      aria-label="Pages"
      className="flex flex-wrap items-center gap-x-3 gap-y-1 border-b border-line bg-surface p-3 md:sticky md:top-0 md:h-screen md:flex-col md:flex-nowrap md:items-stretch md:overflow-y-auto md:border-r md:border-b-0"
    >
      <p className="flex items-center gap-2 px-2 font-semibold md:mb-2">
        <img src="/icon.svg" alt="" className="size-7" />
        Jade Fence
      </p>
      <Button className="ml-auto sm:hidden" aria-expanded={isOpen} onClick={() => setOpen(!isOpen)}>
        <Bars3Icon aria-hidden className="size-5" />
        Menu
      </Button>
      <UndoButtons />
      <div className={`${isOpen ? 'grid' : 'hidden'} w-full gap-x-4 gap-y-1 sm:flex sm:flex-wrap md:grid`}>
        {PAGE_GROUPS.map(({ title, pages }, index) => (
          <div key={index} role={title && 'group'} aria-label={title} className="sm:flex sm:items-center md:block">
            {title && <p className="px-2 pt-1 text-xs text-muted sm:hidden md:block">{title}</p>}
            {pages.map(({ to, text, Icon }) => (
              <NavLink
                key={to}
                to={to}
                end={to === '/'}
                className={({ isActive }) =>
                  `flex items-center gap-2 rounded-lg px-2 py-1 text-sm font-medium md:py-0.5 ${isActive ? 'bg-jade-soft text-jade-strong' : 'text-muted hover:bg-sunken'}`
                }
              >
                <Icon aria-hidden className="size-5" />
                {text}
                {to === '/findings' && <NumFindings />}
              </NavLink>
            ))}
          </div>
        ))}
      </div>
      <div
        className={`${isOpen ? 'flex' : 'hidden'} items-center gap-2 text-sm text-muted sm:ml-auto sm:flex md:mt-auto md:ml-0 md:justify-between`}
      >
        {me.data?.name}
        <Button size="small" onClick={() => signOut.mutate()}>
          <ArrowRightStartOnRectangleIcon aria-hidden className="size-4" />
          Sign out
        </Button>
      </div>
    </nav>
  );
}
