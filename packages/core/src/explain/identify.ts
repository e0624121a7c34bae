import { evaluate, recogniseApplications } from '../decide/evaluate.js';
import { NO_GATE, viewRequest } from '../decide/gate.js';
import type { EvaluationContext } from '../decide/interpreter.js';
import { resolveClient, View } from '../decide/view.js';
import { printCondition } from '../language/condition-text.js';
import type { Truth } from '../request/field.js';
import type { Request } from '../request/request.js';

/** What a request is recognised as, and by which signatures. */
export interface Identified {
  /** The gate that sees it, where encryption may hide things; absent where none covers it, so that all is seen. */
  readonly gate?: string;
  readonly certain: readonly string[];
  /** What it could still turn out to be, if more were known. */
  readonly undecided: readonly string[];
  /** The signatures that hold or cannot be known. */
  readonly signatures: readonly { readonly application: string; readonly signature: string; readonly truth: Truth }[];
}

export function identifyApplications(context: EvaluationContext, request: Request): Identified {
  const covered = viewRequest(context, request);
  const view = covered ?? new View(context, NO_GATE, request, resolveClient(NO_GATE, request), false);
  const { applications, lookups } = context.rulebook;
  const terms = { applications, lookups };
  const subject = { view, tag: null };
  const signatures = applications.flatMap(({ name, signatures: conditions }) =>
    conditions
      .map((condition) => ({
        application: name,
        signature: printCondition(condition),
        truth: evaluate(condition, subject, terms),
      }))
      .filter(({ truth }) => truth !== 'false'),
  );
  return {
    ...(covered ? { gate: covered.gate.statement.name } : {}),
    ...recogniseApplications(subject, terms),
    signatures,
  };
}
