/** The outcomes of a judged request, in display order. Rules cause them, and filters test them. */
export const OUTCOMES = ['allowed', 'blocked', 'limited', 'redirected', 'held', 'uncovered'] as const;
export type Outcome = (typeof OUTCOMES)[number];
