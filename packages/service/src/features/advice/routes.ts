import {
  IdParams,
  LimitAdviceInput,
  NameParams,
  ReadinessInput,
  RuleUseInput,
  SuggestInput,
} from '@jadefence/contract/server';
import { threadRoute, type Route } from '../../http/route.js';
import type { LimitAdvices } from './limit-advices.js';
import type { RuleSuggestionSearch } from './rule-suggestions.js';
import type { RuleUses } from './rule-uses.js';
import type { TrafficReviews } from './traffic-reviews.js';
import type { TrialReadiness } from './trial-readiness.js';

export function adviceRoutes(
  advices: LimitAdvices,
  readiness: TrialReadiness,
  reviews: TrafficReviews,
  suggestions: RuleSuggestionSearch,
  uses: RuleUses,
): Route[] {
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
    threadRoute('pages', {
      method: 'get',
      path: '/fences/:name/readiness',
      summary: 'Find out from replays whether a fence in trial is ready to be enforced',
      answer: 'FenceReadiness',
      access: 'viewer',
      params: NameParams,
      query: ReadinessInput,
      handle: ({ params, query, signal }) => readiness.of(params.name, query, signal),
    }),
    threadRoute('pages', {
      method: 'get',
      path: '/replays/:id/findings',
      summary: 'List what the decisions of a replay show to be probably wrong',
      answer: 'TrafficFinding[]',
      access: 'viewer',
      params: IdParams,
      handle: ({ params, signal }) => reviews.of(params.id, signal),
    }),
    threadRoute('rules', {
      method: 'get',
      path: '/rule-use',
      summary: 'Show what the rules of the draft did in replays, what they cost, and which expectations they decide',
      answer: 'RuleUse',
      access: 'viewer',
      query: RuleUseInput,
      handle: ({ query }) => uses.of(query.days),
    }),
    threadRoute('pages', {
      method: 'post',
      path: '/replays/:id/suggestions',
      summary: 'Find rules that stop chosen requests of a replay and spare the others',
      answer: 'RuleSuggestions',
      access: 'viewer',
      params: IdParams,
      body: SuggestInput,
      hasLargeBody: true,
      handle: ({ params, body, signal }) => suggestions.suggest(params.id, body, signal),
    }),
  ];
}
