import type { LimitAdvice } from '@jadefence/core/advice';
import type { ListLookup, StartingPoint, StoppedClient } from '@jadefence/core/edit';
import type { ExpectationResult, Matrix } from '@jadefence/core/expectations';
import type { MeaningChanges, Review } from '@jadefence/core/findings';
import type { Explanation, Identified, RulesAtGate } from '@jadefence/core/explain';
import type { SiteSections } from '@jadefence/core/replay';
import type { Survey } from '@jadefence/core/survey';
import type { Problem } from './problems.js';
import type { ApplicationInfo } from './applications.js';
import type { CategoryLookup, CategoryOverview } from './categories.js';
import type { Correction, PutCorrection } from './corrections.js';
import type { Countries, CountryLookup } from './countries.js';
import type { DatasetInfo } from './datasets.js';
import type { PassphraseInfo } from './passphrases.js';
import type { SourceInfo } from './sources.js';
import type { ChangePage, ComparisonInfo, ComparisonProgress, ComparisonResult } from './comparisons.js';
import type { Log } from './logs.js';
import type { Masking } from './masking.js';
import type { TrafficFinding } from '@jadefence/core/traffic';
import type { ReleasedClient, StoppedNow } from './clients.js';
import type { FenceReadiness } from './readiness.js';
import type { RecordedComparisonResult, RecordedPage } from './recorded.js';
import type { DecisionPage, ProtectedStop, Replay, ReplayProgress, ReplayResult } from './replays.js';
import type { AuditCheck, AuditPage } from './audit.js';
import type {
  Draft,
  DraftChanges,
  DraftNews,
  DraftSources,
  DraftSteps,
  EditResult,
  EntryOrigin,
  GatePreview,
  ImportPreview,
  ListInfo,
  MatchCount,
} from './draft.js';
import type { Health } from './health.js';
import type { Revision, RevisionDiff, RulePlacement } from './revisions.js';
import type { RuleUse } from './rule-use.js';
import type { RuleSuggestions } from './suggestions.js';
import type { Tried } from './try-requests.js';
import type { AccessToken, CreatedToken, Session } from './users.js';

/** A new generated password, shown once. */
export interface PasswordReset {
  readonly password: string;
}

/** What a refresh imported; null if nothing has changed. */
export interface Refreshed {
  readonly dataset: DatasetInfo | null;
}

/** The description of the API (OpenAPI 3.1). */
export interface ApiDescription {
  readonly openapi: string;
  readonly [part: string]: unknown;
}

/** What routes answer, by name; `npm run build` makes JSON Schemas of them for the description of the API. */
export interface Answers {
  readonly AccessToken: AccessToken;
  readonly ApiDescription: ApiDescription;
  readonly ApplicationInfo: ApplicationInfo;
  readonly AuditCheck: AuditCheck;
  readonly AuditPage: AuditPage;
  readonly CategoryLookup: CategoryLookup;
  readonly CategoryOverview: CategoryOverview;
  readonly ChangePage: ChangePage;
  readonly ComparisonInfo: ComparisonInfo;
  readonly ComparisonProgress: ComparisonProgress;
  readonly ComparisonResult: ComparisonResult;
  readonly Correction: Correction;
  readonly Countries: Countries;
  readonly CountryLookup: CountryLookup;
  readonly CreatedToken: CreatedToken;
  readonly DatasetInfo: DatasetInfo;
  readonly DecisionPage: DecisionPage;
  readonly Draft: Draft;
  readonly DraftChanges: DraftChanges;
  readonly DraftNews: DraftNews;
  readonly DraftSteps: DraftSteps;
  readonly DraftSources: DraftSources;
  readonly EditResult: EditResult;
  readonly EntryOrigin: EntryOrigin;
  readonly ExpectationResult: ExpectationResult;
  readonly Explanation: Explanation;
  readonly GatePreview: GatePreview;
  readonly Health: Health;
  readonly Identified: Identified;
  readonly ImportPreview: ImportPreview;
  readonly FenceReadiness: FenceReadiness;
  readonly LimitAdvice: LimitAdvice;
  readonly ListInfo: ListInfo;
  readonly ListLookup: ListLookup;
  readonly Log: Log;
  readonly Masking: Masking;
  readonly Matrix: Matrix;
  readonly MatchCount: MatchCount;
  readonly MeaningChanges: MeaningChanges;
  readonly PassphraseInfo: PassphraseInfo;
  readonly PasswordReset: PasswordReset;
  readonly PutCorrection: PutCorrection;
  readonly Refreshed: Refreshed;
  readonly ProtectedStop: ProtectedStop;
  readonly RecordedComparisonResult: RecordedComparisonResult;
  readonly RecordedPage: RecordedPage;
  readonly Replay: Replay;
  readonly ReplayProgress: ReplayProgress;
  readonly ReplayResult: ReplayResult;
  readonly Review: Review;
  readonly Revision: Revision;
  readonly RevisionDiff: RevisionDiff;
  readonly ReleasedClient: ReleasedClient;
  readonly StoppedClient: StoppedClient;
  readonly StoppedNow: StoppedNow;
  readonly RulesAtGate: RulesAtGate;
  readonly RulePlacement: RulePlacement;
  readonly Session: Session;
  readonly SiteSections: SiteSections;
  readonly SourceInfo: SourceInfo;
  readonly StartingPoint: StartingPoint;
  readonly Survey: Survey;
  readonly RuleUse: RuleUse;
  readonly RuleSuggestions: RuleSuggestions;
  readonly TrafficFinding: TrafficFinding;
  readonly Tried: Tried;
  readonly Problem: Problem;
}

/** The answer of a route: one, a list of them, or server-sent events (`~`). */
export type AnswerName = keyof Answers | `${keyof Answers}[]` | `${keyof Answers}~`;

/** The type of an answer; events are sent by the handler. */
export type AnswerOf<N extends AnswerName | undefined> = N extends keyof Answers
  ? Answers[N]
  : N extends `${infer One extends keyof Answers}[]`
    ? readonly Answers[One][]
    : undefined | void;
