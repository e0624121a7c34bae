import { ServiceError } from '@jadefence/contract';
import { QueryClient, QueryClientProvider, useQuery } from '@tanstack/react-query';
import type { ComponentType } from 'react';
import { createPortal } from 'react-dom';
import { createBrowserRouter, RouterProvider, useParams, useRouteError } from 'react-router';
import { hasProblem } from './api/client.js';
import { useAppearance } from './appearance.js';
import { meQuery } from './api/queries.js';
import { Button } from './components/button.js';
import { EmptyState } from './components/layout.js';
import { Loaded, Loading } from './components/loaded.js';
import { SignInPage } from './features/sign-in/sign-in-page.js';
import { Frame } from './frame.js';

const queryClient = new QueryClient({
  defaultOptions: {
    queries: {
      retry: (count, error) =>
        count < 2 && !(error instanceof ServiceError && error.problem && error.problem.status < 500),
    },
  },
});
// A session that ends leads to the sign-in, whatever was being looked at or changed.
queryClient.getQueryCache().subscribe(({ query, type }) => {
  if (type === 'updated' && query.queryKey[0] !== 'me' && hasProblem(query.state.error, 'unauthenticated'))
    void queryClient.invalidateQueries({ queryKey: meQuery.queryKey });
});
queryClient.getMutationCache().subscribe(({ mutation, type }) => {
  if (type === 'updated' && hasProblem(mutation.state.error, 'unauthenticated'))
    void queryClient.invalidateQueries({ queryKey: meQuery.queryKey });
});

const RELOADED_AT = 'jade-reloaded-at';
const RELOAD_AGAIN_MS = 10_000;

/**
 * Loads the module of a page. A tab that was open while the service was renewed requests files that are gone; it loads
 * the requested address anew, unless that did not help a moment ago.
 */
async function load<M>(module: Promise<M>): Promise<M> {
  try {
    return await module;
  } catch (error) {
    if (Date.now() - Number(sessionStorage.getItem(RELOADED_AT)) < RELOAD_AGAIN_MS) throw error;
    sessionStorage.setItem(RELOADED_AT, String(Date.now()));
    const { pathname, search } = router.state.navigation.location ?? window.location;
    window.location.assign(pathname + search);
    return new Promise(() => undefined);
  }
}

/** A page is loaded when it is opened first, so that the frame appears without the language and the charts. */
async function pageOf<N extends string>(module: Promise<Record<N, ComponentType>>, name: N) {
  return { Component: (await load(module))[name] };
}

async function pageWithId<N extends string>(module: Promise<Record<N, ComponentType<{ id: number }>>>, name: N) {
  const page = (await load(module))[name];
  return { Component: () => <WithId page={page} /> };
}

const router = createBrowserRouter([
  {
    element: <Frame />,
    children: [
      { index: true, lazy: () => pageOf(import('./features/overview/overview-page.js'), 'OverviewPage') },
      { path: 'fences', lazy: () => pageOf(import('./features/fences/fences-page.js'), 'FencesPage') },
      { path: 'findings', lazy: () => pageOf(import('./features/findings/findings-page.js'), 'FindingsPage') },
      { path: 'gates', lazy: () => pageOf(import('./features/gates/gates-page.js'), 'GatesPage') },
      { path: 'pages', lazy: () => pageOf(import('./features/pages/pages-page.js'), 'PagesPage') },
      { path: 'schedules', lazy: () => pageOf(import('./features/schedules/schedules-page.js'), 'SchedulesPage') },
      { path: 'lists', lazy: () => pageOf(import('./features/lists/lists-page.js'), 'ListsPage') },
      { path: 'countries', lazy: () => pageOf(import('./features/countries/countries-page.js'), 'CountriesPage') },
      { path: 'categories', lazy: () => pageOf(import('./features/categories/categories-page.js'), 'CategoriesPage') },
      {
        path: 'applications',
        lazy: () => pageOf(import('./features/applications/applications-page.js'), 'ApplicationsPage'),
      },
      { path: 'settings', lazy: () => pageOf(import('./features/settings/settings-page.js'), 'SettingsPage') },
      {
        path: 'expectations',
        lazy: () => pageOf(import('./features/expectations/expectations-page.js'), 'ExpectationsPage'),
      },
      { path: 'revisions', lazy: () => pageOf(import('./features/revisions/revisions-page.js'), 'RevisionsPage') },
      { path: 'audit', lazy: () => pageOf(import('./features/audit/audit-page.js'), 'AuditPage') },
      { path: 'logs', lazy: () => pageOf(import('./features/logs/logs-page.js'), 'LogsPage') },
      { path: 'logs/:id', lazy: () => pageWithId(import('./features/logs/log-page.js'), 'LogPage') },
      {
        path: 'limit-advice',
        lazy: () => pageOf(import('./features/limit-advice/limit-advice-page.js'), 'LimitAdvicePage'),
      },
      { path: 'matrix', lazy: () => pageOf(import('./features/matrix/matrix-page.js'), 'MatrixPage') },
      { path: 'readiness', lazy: () => pageOf(import('./features/readiness/readiness-page.js'), 'ReadinessPage') },
      { path: 'rule-use', lazy: () => pageOf(import('./features/rule-use/rule-use-page.js'), 'RuleUsePage') },
      { path: 'try', lazy: () => pageOf(import('./features/try/try-page.js'), 'TryPage') },
      { path: 'replays', lazy: () => pageOf(import('./features/replays/replays-page.js'), 'ReplaysPage') },
      { path: 'replays/:id', lazy: () => pageWithId(import('./features/replays/replay-page.js'), 'ReplayPage') },
      { path: 'compare', lazy: () => pageOf(import('./features/compare/compare-page.js'), 'ComparePage') },
      {
        path: 'comparisons/:id',
        lazy: () => pageWithId(import('./features/compare/comparison-page.js'), 'ComparisonPage'),
      },
      { path: '*', element: <NoSuchPage /> },
    ].map((page) => ({ ...page, errorElement: <BrokenPage />, hydrateFallbackElement: <Loading /> })),
    errorElement: <BrokenPage />,
  },
]);

/** A page of one thing, by the number in its address. */
function WithId({ page: Page }: { page: ComponentType<{ id: number }> }) {
  const { id = '' } = useParams();
  return /^[1-9]\d{0,8}$/.test(id) ? <Page key={id} id={Number(id)} /> : <NoSuchPage />;
}

function NoSuchPage() {
  return (
    <EmptyState isPage title="There is no such page">
      Use the menu to find a page.
    </EmptyState>
  );
}

/** Replaces a page that could not be shown, such as one whose parts have changed since this tab was opened. */
function BrokenPage() {
  const error = useRouteError();
  return (
    <EmptyState isPage title="This page cannot be shown">
      <p role="alert">
        {error instanceof Error ? error.message : 'Something went wrong.'} The service may have been renewed, or cannot
        be reached.
      </p>
      <Button className="mt-4" onClick={() => window.location.reload()}>
        Load the page again
      </Button>
    </EmptyState>
  );
}

export function App() {
  return (
    <QueryClientProvider client={queryClient}>
      <SignedIn />
    </QueryClientProvider>
  );
}

function SignedIn() {
  const me = useQuery(meQuery);
  const { times } = useAppearance();
  const isSignedOut = hasProblem(me.error, 'unauthenticated');
  if (isSignedOut && !me.data) return <SignInPage />;
  return (
    <>
      {/* Another zone for times concerns every page. */}
      <Loaded query={me}>{() => <RouterProvider key={times} router={router} />}</Loaded>
      {isSignedOut && createPortal(<SignInPage />, signInHost())}
    </>
  );
}

/** Where the sign-in covers pages that keep what is being written: outside what an open dialog shuts off. */
function signInHost(): HTMLElement {
  const item = document.getElementById('sign-in');
  if (item) return item;
  const host = document.createElement('div');
  host.id = 'sign-in';
  host.className = 'fixed inset-0 z-50 overflow-y-auto bg-ground empty:hidden';
  document.body.append(host);
  return host;
}
