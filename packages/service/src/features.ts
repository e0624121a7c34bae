/** What the service does, made for one thread: everything that reads or changes rules, and what shows decisions. */
import type { Config } from './config.js';
import type { Database } from './database/database.js';
import { AuditTrail } from './database/audit.js';
import { auditRoutes } from './features/audit/routes.js';
import { Comparisons } from './features/comparisons/comparisons.js';
import { RecordedComparisons } from './features/comparisons/recorded.js';
import { comparisonRoutes, recordedRoutes } from './features/comparisons/routes.js';
import type { ExternalData } from './features/draft/draft-parts.js';
import { Drafts } from './features/draft/draft.js';
import { DraftWatch } from './features/draft/news.js';
import { DraftReviews } from './features/draft/review.js';
import { draftRoutes } from './features/draft/routes.js';
import { listRoutes } from './features/lists/routes.js';
import { Logs } from './features/logs/logs.js';
import { Masking } from './features/masking/masking.js';
import { GatePreviews } from './features/rule-preview/gate-preview.js';
import { MatchCounts } from './features/rule-preview/rule-preview.js';
import { Sections } from './features/rule-preview/site-sections.js';
import { LimitAdvices } from './features/advice/limit-advices.js';
import { adviceRoutes } from './features/advice/routes.js';
import { ClientStops } from './features/clients/client-stops.js';
import { clientRoutes } from './features/clients/routes.js';
import { RuleUses } from './features/advice/rule-uses.js';
import { RuleSuggestionSearch } from './features/advice/rule-suggestions.js';
import { TrafficReviews } from './features/advice/traffic-reviews.js';
import { TrialReadiness } from './features/advice/trial-readiness.js';
import { matchRoutes } from './features/rule-preview/routes.js';
import { Passphrases } from './features/passphrases/passphrases.js';
import { passphraseRoutes } from './features/passphrases/routes.js';
import { CountryTables } from './features/countries/countries.js';
import { Datasets, type TableSource } from './reference/datasets.js';
import { EffectReplays } from './features/datasets/effect-replays.js';
import { applicationRoutes } from './features/applications/routes.js';
import { countryRoutes } from './features/countries/routes.js';
import { ReferenceSnapshots } from './reference/reference-snapshots.js';
import { DecisionPages } from './features/replays/decision-pages.js';
import { ContextStore } from './features/replays/context-store.js';
import { Replays } from './features/replays/replays.js';
import { ProtectedStops } from './features/replays/protected-stops.js';
import { replayRoutes } from './features/replays/routes.js';
import { Meanings } from './features/revisions/meanings.js';
import { PublishedRevisions, Revisions } from './features/revisions/revisions.js';
import { revisionRoutes } from './features/revisions/routes.js';
import { matrixRoutes } from './features/try/matrix.js';
import { tryRoutes } from './features/try/routes.js';
import type { JobAdder } from './jobs/job-queue.js';
import type { Judging } from './threads/evaluation-pool.js';

/** What the features of a thread are made of. */
export interface FeatureParts {
  readonly db: Database;
  readonly config: Config;
  readonly pool: Judging;
  readonly queue: JobAdder;
  /** Where another thread keeps the bytes of datasets. */
  readonly tables?: TableSource;
}

export type Features = ReturnType<typeof openFeatures>;

/** Makes every feature that requests for rules and decisions need. Nothing is read or started by that. */
export function openFeatures({ db, config, pool, queue, tables }: FeatureParts) {
  const datasets = new Datasets(db, tables);
  const referenceSnapshots = new ReferenceSnapshots(db, datasets);
  const outside: ExternalData = {
    forLists: (names, trx) => datasets.forLists(names, trx),
    categoryNames: (trx) => referenceSnapshots.categoryNames(trx),
  };
  const draftWatch = new DraftWatch(db);
  const drafts = new Drafts(db, new PublishedRevisions(datasets), outside);
  const logs = new Logs(db);
  const judges = new ContextStore(db, referenceSnapshots, datasets);
  const pages = new DecisionPages(db, logs, judges, pool);
  const protectedStops = new ProtectedStops(db, pages, judges);
  const revisions = new Revisions(db, drafts, referenceSnapshots, datasets, protectedStops);
  const reviews = new DraftReviews(db, drafts, datasets, referenceSnapshots, config.reviewSteps);
  const meanings = new Meanings(drafts, revisions, reviews, referenceSnapshots, config.reviewSteps);
  const replays = new Replays(db, drafts, revisions, logs, referenceSnapshots, judges, queue, config.maxWaiting);
  const { maxWaiting } = config;
  const comparisons = new Comparisons(db, { replays, pages, judges, logs, pool, queue, maxWaiting });
  const countryTables = new CountryTables(db, datasets, referenceSnapshots, drafts, logs, pool, config.resolver);
  const masking = new Masking(db);
  const trail = new AuditTrail(db, `${config.auditKeyFile}-seen`);
  return {
    masking,
    trail,
    datasets,
    referenceSnapshots,
    revisions,
    logs,
    judges,
    replays,
    pages,
    comparisons,
    effectReplays: new EffectReplays(db, datasets, referenceSnapshots, revisions),
    drafts,
    draftWatch,
    routes: [
      ...draftRoutes(drafts, draftWatch, reviews, referenceSnapshots),
      ...revisionRoutes(revisions, meanings),
      ...listRoutes(db, drafts),
      ...passphraseRoutes(new Passphrases(db, drafts)),
      ...countryRoutes(countryTables),
      ...applicationRoutes(referenceSnapshots, drafts),
      ...adviceRoutes(
        new LimitAdvices(revisions, logs, referenceSnapshots, config.maxLimitKeys),
        new TrialReadiness(db, { drafts, replays, pages, judges, logs }),
        new TrafficReviews(db, { replays, pages, judges, logs }),
        new RuleSuggestionSearch(db, { drafts, replays, pages, judges, logs }),
        new RuleUses(db, drafts, referenceSnapshots),
      ),
      ...clientRoutes(new ClientStops(revisions)),
      ...matchRoutes(
        new MatchCounts(revisions, logs, referenceSnapshots, pool),
        new GatePreviews(drafts, logs, referenceSnapshots, pool),
        new Sections(logs, pool),
      ),
      ...matrixRoutes(revisions, referenceSnapshots),
      ...tryRoutes(revisions, referenceSnapshots),
      ...replayRoutes(replays, pages, protectedStops, masking),
      ...comparisonRoutes(comparisons),
      ...recordedRoutes(new RecordedComparisons(db, { replays, pages, judges, logs })),
      ...auditRoutes(db, trail),
    ],
  };
}
