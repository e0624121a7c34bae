import type { SiteSections } from '@jadefence/core/replay';
import type { LimitAdvice } from '@jadefence/core/advice';
import type { Explanation, RulesAtGate } from '@jadefence/core/explain';
import type { TrafficFinding } from '@jadefence/core/traffic';
import type { Survey } from '@jadefence/core/survey';
import type { Edit, ListLookup, StartingPoint, StoppedClient } from '@jadefence/core/edit';
import type { ExpectationResult, Matrix } from '@jadefence/core/expectations';
import type { MeaningChanges, Review } from '@jadefence/core/findings';
import type { Identified } from '@jadefence/core/explain';
import type { Outcome } from '@jadefence/core/language';
import type { DatasetKind } from '@jadefence/core/reference';
import type { SyntheticFlow } from '@jadefence/core/request';
import { queryText, Transport, type UploadBody } from './transport.js';
import type { LimitAdviceRequest, MatrixQuery, RulesForRequest } from './advice.js';
import type { ApplicationInfo } from './applications.js';
import type { CategoryLookup, CategoryOverview } from './categories.js';
import type { Correction, PutCorrection } from './corrections.js';
import type { Countries, CountryLookup } from './countries.js';
import type { DatasetInfo, DatasetOwner } from './datasets.js';
import type { PassphraseInfo } from './passphrases.js';
import type { SourceInfo } from './sources.js';
import type { AuditCheck, AuditPage } from './audit.js';
import type {
  Draft,
  ChangeSelector,
  DraftChanges,
  DraftSteps,
  DraftSources,
  EditResult,
  EntryOrigin,
  FenceSources,
  ImportPreview,
  ListInfo,
  MatchCount,
  GatePreview,
  GatePreviewRequest,
  MatchRequest,
} from './draft.js';
import type { Health } from './health.js';
import type { ReplayPolicy } from './replays.js';
import type { PublishRequest, Revision, RevisionDiff, RulePlacement } from './revisions.js';
import type { RuleUse, RuleUseQuery } from './rule-use.js';
import type { RuleSuggestions, SuggestRequest } from './suggestions.js';
import type { Tried, TryRequest } from './try-requests.js';
import type { CreatedToken, Role, Session, AccessToken } from './users.js';
import type {
  ChangePage,
  ComparisonInfo,
  ComparisonProgress,
  ComparisonResult,
  ComparisonRequest,
} from './comparisons.js';
import type { Masking, MaskingRequest, UnmaskRequest } from './masking.js';
import type { Log, LogReadOptions } from './logs.js';
import type { ReleasedClient, StopClientRequest, StoppedNow } from './clients.js';
import type { FenceReadiness, ReadinessQuery } from './readiness.js';
import type { RecordedComparisonResult, RecordedPage, RecordedQuery, RecordedRequestsQuery } from './recorded.js';
import type { DecisionPage, ProtectedStop, Replay, ReplayRequest, ReplayProgress, ReplayResult } from './replays.js';

const SETTLE_POLL_MS = 300;

/** A part of a list, the latest first. */
export interface ListPage {
  /** How many are passed over; none unless given. */
  readonly offset?: number;
  /** At most 1000; 100 unless given. */
  readonly limit?: number;
}

const LONGEST_PAGE = 1000;

/** All of a list of the service, page by page. */
export async function listAll<T>(list: (page: ListPage) => Promise<T[]>): Promise<T[]> {
  const all: T[] = [];
  for (;;) {
    const page = await list({ offset: all.length, limit: LONGEST_PAGE });
    for (const item of page) all.push(item);
    if (page.length < LONGEST_PAGE) return all;
  }
}

/** So many logs are looked at for one with requests for a gate. */
const MAX_LOGS_TRIED = 5;

/** The service's API, one method a route. Every method throws `ServiceError`. */
export class ServiceClient extends Transport {
  health = (): Promise<Health> => this.json('GET', '/health');
  me = (): Promise<Session> => this.json('GET', '/session');
  signIn = (name: string, password: string): Promise<Session> => this.json('POST', '/session', { name, password });
  signOut = (): Promise<void> => this.json('DELETE', '/session');
  createToken = (
    signIn: { name: string; password: string },
    token: { name: string; scope: Role; unmask?: boolean },
  ): Promise<CreatedToken> =>
    this.json('POST', '/session/tokens', { signInName: signIn.name, password: signIn.password, ...token });
  changePassword = (input: { password: string; newPassword: string }): Promise<void> =>
    this.json('PUT', '/session/password', input);
  tokens = (): Promise<AccessToken[]> => this.json('GET', '/tokens');
  createTokenFor = (token: {
    name: string;
    scope: Role;
    expiresInDays?: number;
    unmask?: boolean;
  }): Promise<CreatedToken> => this.json('POST', '/tokens', token);
  masking = (): Promise<Masking> => this.json('GET', '/masking');
  setMasking = (masking: MaskingRequest): Promise<Masking> => this.json('PUT', '/masking', masking);
  /** Shows true values in this session for a while. */
  unmask = (input: UnmaskRequest): Promise<Masking> => this.json('POST', '/session/unmask', input);
  maskAgain = (): Promise<Masking> => this.json('DELETE', '/session/unmask');
  revokeToken = (id: number): Promise<void> => this.json('DELETE', `/tokens/${id}`);
  resetPassword = (name: string): Promise<{ password: string }> =>
    this.json('POST', `/users/${encodeURIComponent(name)}/password-reset`);
  draft = (): Promise<Draft> => this.json('GET', '/draft');
  draftSources = (): Promise<DraftSources> => this.json('GET', '/draft/files');
  previewImport = (sources: FenceSources, isMerge: boolean): Promise<ImportPreview> =>
    this.json('POST', '/draft/files/preview', { ...sources, isMerge });
  importFences = (sources: FenceSources, isMerge: boolean, version: number): Promise<Draft> =>
    this.json('PUT', '/draft/files', { ...sources, isMerge }, version);
  /** Edits the draft; `version` is the one that the edits were made on. */
  edit = (edits: readonly Edit[], version: number): Promise<EditResult> =>
    this.json('POST', '/draft/edits', { edits }, version);
  /** What edits would do, with nothing written. */
  previewEdits = (edits: readonly Edit[]): Promise<EditResult> => this.json('POST', '/draft/edits/preview', { edits });
  /** What would be wrong with a rule, `fence/rule`, after edits. */
  findingsAfter = (edits: readonly Edit[], rule: string, signal?: AbortSignal): Promise<Review> =>
    this.json('POST', '/draft/edits/findings', { edits, rule }, undefined, signal);
  /** Which requests would change their outcome by edits. */
  meaningOfEdits = (edits: readonly Edit[]): Promise<MeaningChanges> =>
    this.json('POST', '/draft/edits/meaning', { edits });
  /** Which requests change their outcome when the draft is published. */
  draftMeaning = (): Promise<MeaningChanges> => this.json('GET', '/draft/meaning');
  /** Where a rule would have to be to decide about what it matches. */
  placeRule = (fence: string, rule: string): Promise<RulePlacement> =>
    this.json('GET', `/draft/placement${queryText({ fence, rule })}`);
  draftSteps = (): Promise<DraftSteps> => this.json('GET', '/draft/steps');
  undo = (): Promise<EditResult> => this.json('POST', '/draft/undo');
  redo = (): Promise<EditResult> => this.json('POST', '/draft/redo');
  discard = (only: readonly ChangeSelector[] | undefined, version: number): Promise<EditResult> =>
    this.json('POST', '/draft/discard', only ? { only } : {}, version);
  draftChanges = (): Promise<DraftChanges> => this.json('GET', '/draft/changes');
  startingPoints = (): Promise<StartingPoint[]> => this.json('GET', '/starting-points');
  lists = (): Promise<ListInfo[]> => this.json('GET', '/lists');
  list = (name: string): Promise<ListInfo> => this.json('GET', `/lists/${encodeURIComponent(name)}`);
  /** Who added each entry of a list, and when, from the earliest on. */
  entryOrigins = (name: string): Promise<EntryOrigin[]> =>
    this.json('GET', `/lists/${encodeURIComponent(name)}/origins`);
  /** The lists that hold a value, or take it out. */
  lookupInLists = (value: string): Promise<ListLookup[]> => this.json('GET', `/list-entries${queryText({ value })}`);
  lookupInList = (name: string, value: string): Promise<ListLookup> =>
    this.json('GET', `/lists/${encodeURIComponent(name)}/lookup${queryText({ value })}`);
  revisions = (page?: ListPage): Promise<Revision[]> => this.json('GET', `/revisions${queryText({ ...page })}`);
  revision = (number: number): Promise<Revision> => this.json('GET', `/revisions/${number}`);
  revisionSources = (number: number): Promise<DraftSources> => this.json('GET', `/revisions/${number}/files`);
  diffRevisions = (from: ReplayPolicy, to: ReplayPolicy): Promise<RevisionDiff> =>
    this.json('GET', `/revisions/diff${queryText({ from, to })}`);
  /** Which requests change their outcome from one revision to another. */
  meaningBetween = (from: ReplayPolicy, to: ReplayPolicy): Promise<MeaningChanges> =>
    this.json('GET', `/revisions/meaning${queryText({ from, to })}`);
  publish = (input: PublishRequest, version: number): Promise<Revision> =>
    this.json('POST', '/revisions', input, version);
  restore = (number: number, note?: string): Promise<Revision> =>
    this.json('POST', `/revisions/${number}/restore`, note === undefined ? {} : { note });
  /** @param signal ends the counting */
  /** Which rules can apply to a client, and what each still needs. */
  rulesFor = (query: RulesForRequest): Promise<RulesAtGate[]> =>
    this.json('GET', `/rules-for${queryText({ ...query })}`);
  /** What becomes of each client at each destination. */
  matrix = (query: MatrixQuery): Promise<Matrix> => this.json('POST', '/matrix', query);
  /** Which count is right for a limit, from a log. */
  limitAdvice = (logId: number, request: LimitAdviceRequest, signal?: AbortSignal): Promise<LimitAdvice> =>
    this.json('POST', `/logs/${logId}/limit-advice`, request, undefined, signal);
  stoppedClients = (): Promise<StoppedClient[]> => this.json('GET', '/stopped-clients');
  /** Stops a client at every gate, and publishes just that. */
  stopClient = (request: StopClientRequest): Promise<StoppedNow> => this.json('POST', '/stopped-clients', request);
  releaseClient = (client: string): Promise<ReleasedClient> =>
    this.json('POST', '/stopped-clients/release', { client });
  /** What enforcing a fence that is in trial would stop. */
  readiness = (fence: string, { replays }: ReadinessQuery = {}): Promise<FenceReadiness> =>
    this.json('GET', `/fences/${encodeURIComponent(fence)}/readiness${queryText({ replays: replays?.join() })}`);
  countMatches = (logId: number, rule: MatchRequest, signal?: AbortSignal): Promise<MatchCount> =>
    this.json('POST', `/logs/${logId}/matches`, rule, undefined, signal);
  /** Hosts of a log, and sections of a site. */
  sections = (logId: number, host?: string, signal?: AbortSignal): Promise<SiteSections> =>
    this.json('GET', `/logs/${logId}/sections${queryText({ host })}`, undefined, undefined, signal);
  previewGate = (logId: number, gate: GatePreviewRequest, signal?: AbortSignal): Promise<GatePreview> =>
    this.json('POST', `/logs/${logId}/gate-preview`, gate, undefined, signal);
  /** Counts in the latest log that has requests for the gates of the fence; undefined where there is none. */
  countInLatest = async (
    logs: readonly Log[],
    rule: MatchRequest,
    signal?: AbortSignal,
  ): Promise<(MatchCount & { readonly log: Log }) | undefined> => {
    for (const log of logs.slice(0, MAX_LOGS_TRIED)) {
      const count = await this.countMatches(log.id, rule, signal);
      if (count.requests > 0) return { ...count, log };
    }
    return undefined;
  };
  verifyAudit = (): Promise<AuditCheck> => this.json('POST', '/audit/verify');

  audit = (query: { offset: number; limit: number }): Promise<AuditPage> =>
    this.json('GET', `/audit${queryText(query)}`);
  findings = (): Promise<Review> => this.json('GET', '/draft/findings');
  /** What a review of a revision finds, by today's reference data. */
  findingsOf = (revision: number): Promise<Review> => this.json('GET', `/revisions/${revision}/findings`);
  expectations = (): Promise<ExpectationResult[]> => this.json('GET', '/draft/expectations');
  tryRequest = (input: TryRequest): Promise<Tried> => this.json('POST', '/try', input);
  datasets = (kind?: DatasetOwner, page?: ListPage): Promise<DatasetInfo[]> =>
    this.json('GET', `/datasets${queryText({ kind, ...page })}`);
  dataset = (id: number): Promise<DatasetInfo> => this.json('GET', `/datasets/${id}`);
  /** Imports a dataset. Where it is replayed first it answers at once; `settleDataset` waits for the end. */
  importDataset = (
    query: {
      kind: DatasetOwner;
      name: string;
      category?: string;
      listKind?: DatasetKind;
      confirm?: boolean;
      replay?: boolean;
    },
    body: UploadBody,
  ): Promise<DatasetInfo> => this.upload('POST', '/datasets', query, body);
  activateDataset = (id: number, isConfirmed: boolean): Promise<DatasetInfo> =>
    this.json('POST', `/datasets/${id}/activate`, { isConfirmed });
  deleteDataset = (id: number): Promise<void> => this.json('DELETE', `/datasets/${id}`);
  sources = (): Promise<SourceInfo[]> => this.json('GET', '/sources');
  putSource = (
    source: Pick<SourceInfo, 'kind' | 'name' | 'locations' | 'everyMinutes' | 'category' | 'listKind'>,
  ): Promise<SourceInfo> => {
    const { kind, name, ...rest } = source;
    return this.json('PUT', sourcePath(kind, name), rest);
  };
  removeSource = (kind: DatasetOwner, name: string): Promise<void> => this.json('DELETE', sourcePath(kind, name));
  /** @returns the dataset, or null where nothing has changed */
  refresh = async (kind: DatasetOwner, name: string, isConfirmed = false): Promise<DatasetInfo | null> =>
    (await this.json<{ dataset: DatasetInfo | null }>('POST', `${sourcePath(kind, name)}/refresh`, { isConfirmed }))
      .dataset;
  corrections = (kind: Correction['kind']): Promise<Correction[]> => this.json('GET', `/corrections/${kind}`);
  putCorrection = (
    kind: Correction['kind'],
    correction: { key: string; value: string; reason?: string },
  ): Promise<PutCorrection> => this.json('PUT', `/corrections/${kind}`, correction);
  removeCorrection = (kind: Correction['kind'], key: string): Promise<void> =>
    this.json('DELETE', `/corrections/${kind}${queryText({ key })}`);
  countries = (log?: number): Promise<Countries> => this.json('GET', `/countries${queryText({ log })}`);
  lookupCountry = (value: string): Promise<CountryLookup> =>
    this.json('GET', `/countries/lookup${queryText({ value })}`);
  categories = (): Promise<CategoryOverview> => this.json('GET', '/categories');
  lookupCategory = (value: string): Promise<CategoryLookup> =>
    this.json('GET', `/categories/lookup${queryText({ value })}`);
  orderFeeds = (names: readonly string[]): Promise<CategoryOverview> =>
    this.json('PUT', '/categories/feeds', { names });
  removeFeed = (name: string): Promise<void> => this.json('DELETE', `/categories/feeds/${encodeURIComponent(name)}`);
  applications = (): Promise<ApplicationInfo[]> => this.json('GET', '/applications');
  identifyApplications = (flow: SyntheticFlow): Promise<Identified> =>
    this.json('POST', '/applications/identify', flow);
  passphrases = (): Promise<PassphraseInfo[]> => this.json('GET', '/passphrases');
  setPassphrase = (name: string, passphrase: string): Promise<void> =>
    this.json('PUT', `/passphrases/${encodeURIComponent(name)}`, { passphrase });
  removePassphrase = (name: string): Promise<void> => this.json('DELETE', `/passphrases/${encodeURIComponent(name)}`);
  logs = (page?: ListPage): Promise<Log[]> => this.json('GET', `/logs${queryText({ ...page })}`);
  log = (id: number): Promise<Log> => this.json('GET', `/logs/${id}`);
  importLog = (query: { name: string } & LogReadOptions, body: UploadBody): Promise<Log> =>
    this.upload('POST', '/logs', { ...query }, body);
  /** @param files parts with file names, which are merged into one log */
  importLogFiles = (query: { name: string } & LogReadOptions, files: FormData): Promise<Log> =>
    this.receive(this.send('POST', `/logs${queryText({ ...query })}`, { body: files }));
  survey = (id: number): Promise<Survey> => this.json('GET', `/logs/${id}/survey`);
  deleteLog = (id: number, isForced: boolean): Promise<void> =>
    this.json('DELETE', `/logs/${id}${queryText({ force: isForced })}`);
  replays = (page?: ListPage): Promise<Replay[]> => this.json('GET', `/replays${queryText({ ...page })}`);
  startReplay = (input: ReplayRequest): Promise<Replay> => this.json('POST', '/replays', input);
  renameReplay = (id: number, name: string): Promise<Replay> => this.json('PATCH', `/replays/${id}`, { name });
  deleteReplay = (id: number, isForced: boolean): Promise<void> =>
    this.json('DELETE', `/replays/${id}${queryText({ force: isForced })}`);
  cancelReplay = (id: number): Promise<Replay> => this.json('POST', `/replays/${id}/cancel`, {});
  comparisons = (page?: ListPage): Promise<ComparisonInfo[]> =>
    this.json('GET', `/comparisons${queryText({ ...page })}`);
  startComparison = (input: ComparisonRequest): Promise<ComparisonInfo> => this.json('POST', '/comparisons', input);
  comparison = (id: number): Promise<ComparisonInfo> => this.json('GET', `/comparisons/${id}`);
  comparisonResult = (id: number): Promise<ComparisonResult> => this.json('GET', `/comparisons/${id}/result`);
  changes = (id: number, query: { offset: number; limit: number; group?: number | undefined }): Promise<ChangePage> =>
    this.json('GET', `/comparisons/${id}/changes${queryText(query)}`);
  /** Follows a comparison until it is done or failed. */
  followComparison = (
    id: number,
    onProgress: (progress: ComparisonProgress) => void,
    signal?: AbortSignal,
  ): Promise<ComparisonProgress> => this.follow(`/comparisons/${id}/events`, onProgress, signal);
  replay = (id: number): Promise<Replay> => this.json('GET', `/replays/${id}`);
  replayResult = (id: number): Promise<ReplayResult> => this.json('GET', `/replays/${id}/result`);
  decisions = (
    id: number,
    query: { offset: number; limit: number; outcome?: Outcome; where?: string },
  ): Promise<DecisionPage> => this.json('GET', `/replays/${id}/decisions${queryText(query)}`);
  /** Requests of protected clients that the replay stops. */
  protectedStops = (id: number): Promise<ProtectedStop[]> => this.json('GET', `/replays/${id}/protected`);
  /** What the rules of the draft did in replays, and which expectations they decide. */
  ruleUse = ({ days }: RuleUseQuery = {}): Promise<RuleUse> => this.json('GET', `/rule-use${queryText({ days })}`);
  /** Rules that stop chosen requests of a replay and spare others. */
  suggestRules = (id: number, request: SuggestRequest, signal?: AbortSignal): Promise<RuleSuggestions> =>
    this.json('POST', `/replays/${id}/suggestions`, request, undefined, signal);
  /** What the decisions of a replay show to be probably wrong. */
  trafficFindings = (id: number): Promise<TrafficFinding[]> => this.json('GET', `/replays/${id}/findings`);
  /** The replay compared with what its log recorded. */
  recorded = (id: number, { stops }: RecordedQuery = {}): Promise<RecordedComparisonResult> =>
    this.json('GET', `/replays/${id}/recorded${queryText({ stops: stops?.join() })}`);
  recordedRequests = (id: number, { stops, ...page }: RecordedRequestsQuery): Promise<RecordedPage> =>
    this.json('GET', `/replays/${id}/recorded/requests${queryText({ ...page, stops: stops?.join() })}`);
  explanation = (id: number, row: number): Promise<Explanation> =>
    this.json('GET', `/replays/${id}/decisions/${row}/explanation`);

  /** Waits until a dataset is replayed, and has become active or waits for a yes. */
  async settleDataset(id: number): Promise<DatasetInfo> {
    for (;;) {
      const dataset = await this.dataset(id);
      if (dataset.state === 'settled') return dataset;
      await new Promise((resolve) => setTimeout(resolve, SETTLE_POLL_MS));
    }
  }

  /** Follows a replay until it is done, failed or cancelled. */
  followReplay = (
    id: number,
    onProgress: (progress: ReplayProgress) => void,
    signal?: AbortSignal,
  ): Promise<ReplayProgress> => this.follow(`/replays/${id}/events`, onProgress, signal);
}

/** The country table has no name. */
function sourcePath(kind: DatasetOwner, name: string): string {
  return `/sources/${kind}/${encodeURIComponent(name || kind)}`;
}
