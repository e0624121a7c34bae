/** What may take long is not done on the event loop. */
import type { TrailCheck } from '../database/audit.js';
import type { Features } from '../features.js';
import type { EffectRules } from '../features/datasets/impact-analysis.js';
import type { EvaluationInputs } from '../features/replays/context-store.js';
import { answerRequest } from '../http/answer.js';
import type { RequestAnswerer } from '../http/router.js';
import type { RequestThreads } from './request-threads.js';

/** What the event loop has others do. */
export interface Elsewhere {
  readonly requests: RequestAnswerer;
  readonly judges: EvaluationInputs;
  readonly effects: EffectRules;
  verifyTrail(): Promise<TrailCheck>;
}

export function doInThreads(threads: RequestThreads): Elsewhere {
  return {
    requests: threads,
    judges: {
      source: (judged) => threads.job('rules', 'judgeSource', judged),
      redirects: (judged, rulings) => threads.job('rules', 'redirects', judged, rulings),
    },
    effects: {
      canJudge: () => threads.job('rules', 'canJudge'),
      create: (datasetId) => threads.job('rules', 'effectReplays', datasetId),
    },
    verifyTrail: () => threads.job('pages', 'verifyTrail'),
  };
}

/** For tests of the sources, which have no threads. */
export function doHere({ judges, effectReplays, trail, masking }: Features): Elsewhere {
  return {
    requests: { answer: (definition, task, signal) => answerRequest(definition, task, masking, signal) },
    judges,
    effects: effectReplays,
    verifyTrail: () => trail.verifyNew(),
  };
}
