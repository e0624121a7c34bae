/** What a judged request can come to, in the order in which it is shown. Rules lead to them, and filters ask for them. */
export const OUTCOMES = ['allowed', 'blocked', 'limited', 'redirected', 'held', 'uncovered'] as const;
export type Outcome = (typeof OUTCOMES)[number];
