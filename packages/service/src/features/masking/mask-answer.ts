/** What answers show to a caller who may not see masked values. */
import type { AnswerName, Answers, ChangeRow, DecisionRow, Explanation } from '@jadefence/contract';
import { HIDDEN, maskCounts, type Masker } from '@jadefence/core/masking';
import type { Attributes } from '@jadefence/core/request';
import { ProblemError } from '../../http/problem.js';

/**
 * What an answer has of requests: nothing, but what the caller sent or rules have; rows with their records; values that
 * are counted; values that cannot be found in its sentences, so that it is refused; or it is masked where it is made.
 */
type Content = 'none' | 'rows' | 'counts' | 'refused' | 'addresses' | 'made-masked';

/** An answer that is added does not compile until it is here. */
const CONTENTS: Readonly<Record<keyof Answers, Content>> = {
  AccessToken: 'none',
  ApiDescription: 'none',
  ApplicationInfo: 'none',
  AuditCheck: 'none',
  AuditPage: 'counts',
  CategoryLookup: 'none',
  CategoryOverview: 'none',
  ChangePage: 'rows',
  ComparisonInfo: 'none',
  ComparisonProgress: 'none',
  ComparisonResult: 'counts',
  Correction: 'none',
  Countries: 'none',
  CountryLookup: 'none',
  CreatedToken: 'none',
  DatasetInfo: 'none',
  DecisionPage: 'rows',
  Draft: 'none',
  DraftChanges: 'none',
  DraftNews: 'none',
  DraftSources: 'none',
  DraftSteps: 'none',
  EditResult: 'none',
  EntryOrigin: 'none',
  ExpectationResult: 'none',
  Explanation: 'made-masked',
  FenceReadiness: 'counts',
  GatePreview: 'none',
  Health: 'none',
  Identified: 'none',
  ImportPreview: 'none',
  LimitAdvice: 'counts',
  ListInfo: 'none',
  ListLookup: 'none',
  Log: 'counts',
  Masking: 'none',
  MatchCount: 'none',
  Matrix: 'none',
  MeaningChanges: 'none',
  PassphraseInfo: 'none',
  PasswordReset: 'none',
  Problem: 'none',
  ProtectedStop: 'rows',
  PutCorrection: 'none',
  RecordedComparisonResult: 'counts',
  RecordedPage: 'rows',
  Refreshed: 'none',
  ReleasedClient: 'none',
  Replay: 'none',
  ReplayProgress: 'none',
  ReplayResult: 'counts',
  Review: 'none',
  Revision: 'none',
  RevisionDiff: 'none',
  RulePlacement: 'none',
  RuleSuggestions: 'refused',
  RuleUse: 'none',
  RulesAtGate: 'none',
  Session: 'none',
  SiteSections: 'counts',
  SourceInfo: 'none',
  StartingPoint: 'none',
  StoppedClient: 'none',
  StoppedNow: 'none',
  Survey: 'counts',
  TrafficFinding: 'addresses',
  Tried: 'none',
};

/** With a note of the masks that applied. */
const NOTED: readonly string[] = ['DecisionPage', 'ReplayResult'];

function contentOf(answer: AnswerName | undefined): Content {
  return answer === undefined ? 'none' : CONTENTS[answer.replace(/\[\]$|~$/, '') as keyof Answers];
}

export function isMaskable(answer: AnswerName | undefined): answer is AnswerName {
  const content = contentOf(answer);
  return content !== 'none' && content !== 'made-masked';
}

/** @throws ProblemError where the answer cannot be shown without the values that are masked */
export function maskAnswer(answer: AnswerName, value: unknown, masker: Masker): unknown {
  const content = contentOf(answer);
  if (content === 'refused' || (content === 'addresses' && masker.hasTexts))
    throw new ProblemError('masked', `This answer names values that are masked: ${masker.describe()}.`, {
      hint: 'An administrator can show true values for a while in the settings, or by a token with the right unmask.',
    });
  const masked = content === 'rows' ? maskRows(value, masker) : maskCounts(value, masker);
  return NOTED.includes(answer) ? { ...(masked as object), masked: masker.describe() } : masked;
}

/** Rows of decisions, wherever they are in an answer. */
function maskRows(value: unknown, masker: Masker): unknown {
  if (Array.isArray(value)) return value.map((item) => maskRows(item, masker));
  if (typeof value !== 'object' || value === null) return value;
  if ('record' in value && 'requested' in value) return maskRow(value as DecisionRow | ChangeRow, masker);
  return Object.fromEntries(Object.entries(value).map(([name, item]) => [name, maskRows(item, masker)]));
}

function maskRow<R extends DecisionRow | ChangeRow>(row: R, masker: Masker): R {
  const attributes = row.record as Attributes;
  const substitutions = masker.substitutionsFor(attributes);
  const record = masker.attributes(attributes) as DecisionRow['record'];
  const client = record['jade.client'];
  const path = row.path !== null && masker.isMasked('path') ? masker.text('path', undefined, row.path) : row.path;
  const { written: _written, ...shown } = row;
  return {
    ...shown,
    client: typeof client === 'string' ? client : row.client && substitutions.apply(row.client),
    path: path === row.path && path !== null ? substitutions.apply(path) : path,
    requested: maskRequested(row, path, substitutions.apply(row.requested)),
    record,
    // The line may write a value in any way.
    ...(row.written === undefined ? {} : { written: HIDDEN }),
  } as unknown as R;
}

/** What is requested ends with the path. */
function maskRequested({ path, requested }: DecisionRow | ChangeRow, masked: string | null, applied: string): string {
  if (path === null || path === masked || !requested.endsWith(path)) return applied;
  return `${requested.slice(0, -path.length)}${masked}`;
}

/** @param attributes of the request, with its decision */
export function maskExplanation(explanation: Explanation, attributes: Attributes, masker: Masker): Explanation {
  const applied = masker.substitutionsFor(attributes).applyDeep(explanation);
  const shown = (field: string, value: Shown): Shown =>
    value.kind === 'known' && masker.hidesText(field)
      ? { kind: 'known', text: masker.shownAs(field, value.text) }
      : value;
  return {
    ...applied,
    request: { ...applied.request, path: shown('path', applied.request.path) },
    facts: applied.facts.map((fact) => ({ ...fact, value: shown(fact.field, fact.value) })),
    fences: applied.fences.map((fence) => ({
      ...fence,
      rules: fence.rules.map((rule) => ({
        ...rule,
        because: rule.because.map((step) => ({ ...step, actual: shown(step.field, step.actual) })),
      })),
    })),
  };
}

type Shown = Explanation['request']['path'];
