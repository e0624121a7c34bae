import { IdParams, LimitAdviceInput } from '@jadefence/contract/server';
import { threadRoute, type Route } from '../../http/route.js';
import type { LimitAdvices } from './limit-advices.js';

export function adviceRoutes(advices: LimitAdvices): Route[] {
  return [
    threadRoute('rules', {
      method: 'post',
      path: '/logs/:id/limit-advice',
      summary: 'Find out from a log which count is right for a limit',
      answer: 'LimitAdvice',
      access: 'viewer',
      params: IdParams,
      body: LimitAdviceInput,
      handle: ({ params, body, signal }) => advices.advise(params.id, body, signal),
    }),
  ];
}
