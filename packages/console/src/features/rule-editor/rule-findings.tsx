import { keepPreviousData, useQuery } from '@tanstack/react-query';
import type { Edit } from '@jadefence/contract';
import { useEffect, useState } from 'react';
import { service } from '../../api/client.js';
import { LevelIcon } from '../findings/finding-list.js';

/** A review begins when typing has stopped for that long. */
const DEBOUNCE_MS = 700;

/** What would be wrong with the rule as it is written now, but for notes. */
export function RuleFindings({ edit, rule }: { edit: Edit; rule: string }) {
  const key = JSON.stringify([edit, rule]);
  const [requested, setRequested] = useState(key);
  useEffect(() => {
    const timer = setTimeout(() => setRequested(key), DEBOUNCE_MS);
    return () => clearTimeout(timer);
  }, [key]);
  const { data, isFetching } = useQuery({
    queryKey: ['draft', 'findings', 'of-rule', requested],
    queryFn: ({ signal }) => {
      const [edited, about] = JSON.parse(requested) as [Edit, string];
      return service.findingsAfter([edited], about, signal);
    },
    placeholderData: keepPreviousData,
    retry: false,
  });
  const findings = (data?.findings ?? []).filter(({ level }) => level !== 'note');
  // The same at several gates is one sentence.
  const shown = [...new Map(findings.map((finding) => [finding.message, finding])).values()];
  if (shown.length === 0) return null;
  const isStale = isFetching || requested !== key;
  return (
    <ul
      aria-label="Findings about this rule"
      aria-live="polite"
      aria-busy={isStale}
      className={`mt-3 grid gap-1 text-sm ${isStale ? 'opacity-60' : ''}`}
    >
      {shown.map(({ level, message, hint }) => (
        <li key={message} className="flex gap-2">
          <LevelIcon level={level} />
          <span className="wrap-anywhere">
            {message} <span className="text-muted">{hint}</span>
          </span>
        </li>
      ))}
    </ul>
  );
}
