import { useQueryClient } from '@tanstack/react-query';
import type { DraftNews } from '@jadefence/contract';
import { useEffect, useState } from 'react';
import { draftQuery, meQuery } from './api/queries.js';
import { Button } from './components/button.js';

const LOST_AFTER_MS = 4000;
const EVENTS = '/api/v1/draft/events';

/**
 * Follows the draft while the page is in view, so that what others change appears with their name, and reports when the
 * service cannot be reached.
 */
export function LiveDraft() {
  const client = useQueryClient();
  const [news, setNews] = useState<DraftNews>();
  const [isLost, setLost] = useState(false);
  useEffect(() => {
    let source: EventSource | undefined;
    let lostTimer: ReturnType<typeof setTimeout> | undefined;
    const receive = (latest: DraftNews): void => {
      const shown = client.getQueryData(draftQuery.queryKey);
      if (!shown || shown.version >= latest.version) return;
      void client.invalidateQueries({ queryKey: ['draft'] });
      // What this user does in another tab needs no word.
      if (latest.by !== client.getQueryData(meQuery.queryKey)?.name) setNews(latest);
    };
    const found = (): void => {
      clearTimeout(lostTimer);
      lostTimer = undefined;
      setLost(false);
    };
    const lose = (): void => setLost(true);
    const open = (): void => {
      source = new EventSource(EVENTS);
      source.onopen = found;
      source.onmessage = ({ data }) => {
        found();
        receive(JSON.parse(String(data)) as DraftNews);
      };
      source.onerror = () => (lostTimer ??= setTimeout(lose, LOST_AFTER_MS));
    };
    // A browser has few connections to a service for all its tabs, so those out of view take none.
    const follow = (): void => {
      source?.close();
      found();
      if (!document.hidden) open();
    };
    follow();
    document.addEventListener('visibilitychange', follow);
    window.addEventListener('online', follow);
    window.addEventListener('offline', lose);
    return () => {
      document.removeEventListener('visibilitychange', follow);
      window.removeEventListener('online', follow);
      window.removeEventListener('offline', lose);
      clearTimeout(lostTimer);
      source?.close();
    };
  }, [client]);
  if (isLost)
    return (
      <Bar>
        The service cannot be reached; it is tried again. What you write stays here.
        <Button size="small" onClick={() => void client.invalidateQueries()}>
          Try now
        </Button>
      </Bar>
    );
  if (!news) return null;
  const more = news.numChanges > 1 ? `, and ${news.numChanges - 1} more` : '';
  return (
    <Bar>
      <span>
        <strong>{news.by ?? 'Another process'}</strong> changed the draft: {news.summary?.replace(/\.$/, '')}
        {more}.
      </span>
      <Button size="small" onClick={() => setNews(undefined)}>
        Dismiss
      </Button>
    </Bar>
  );
}

function Bar({ children }: { children: React.ReactNode }) {
  return (
    <div
      role="status"
      className="fixed bottom-4 left-1/2 z-20 flex max-w-[calc(100vw-2rem)] -translate-x-1/2 items-center gap-3 rounded-xl border border-line bg-surface px-4 py-2 text-sm shadow-xl"
    >
      {children}
    </div>
  );
}
