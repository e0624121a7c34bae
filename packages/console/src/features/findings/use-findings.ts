import type { Draft, Review } from '@jadefence/contract';
import { useQuery } from '@tanstack/react-query';
import { useMemo } from 'react';
import { draftQuery, findingsQuery } from '../../api/queries.js';
import type { ShownFinding } from './finding-list.js';

/** The review of the draft; undefined until it is there. */
export function useReview(): { readonly draft?: Draft; readonly review?: Review; readonly error: Error | null } {
  const draft = useQuery(draftQuery).data;
  const review = useQuery(findingsQuery);
  return { draft, review: review.data, error: review.error };
}

const NO_FINDINGS: Review['findings'] = [];

/** By `fence/rule`, the most serious finding about it; notes are not for every day. */
export function useRowFindings(): ReadonlyMap<string, Review['findings'][number]> {
  const findings = useReview().review?.findings ?? NO_FINDINGS;
  return useMemo(() => {
    const byRule = new Map<string, Review['findings'][number]>();
    for (const finding of findings)
      if (finding.rule !== undefined && finding.level !== 'note' && !byRule.has(finding.rule))
        byRule.set(finding.rule, finding);
    return byRule;
  }, [findings]);
}

/** What keeps the draft from judging, which is known before the review is, then what is probably wrong with it. */
export function shownFindings(draft: Draft, review: Review | undefined): ShownFinding[] {
  if (review)
    return review.findings.map((finding) => ({
      ...finding,
      key: `${finding.id} ${finding.subject} ${finding.gate ?? ''} ${finding.message}`,
    }));
  return [
    ...draft.diagnostics.map(({ message, hint, place }) => ({
      key: `${place.line}:${place.column} ${message}`,
      level: 'error' as const,
      message,
      hint,
    })),
    ...draft.warnings.map(({ message, hint }) => ({ key: message, level: 'warning' as const, message, hint })),
  ];
}
