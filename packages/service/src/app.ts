/** The composition root: everything is made here and handed to what needs it. */
import { randomBytes } from 'node:crypto';
import { existsSync } from 'node:fs';
import { availableParallelism } from 'node:os';
import { join } from 'node:path';
import connectPgSimple from 'connect-pg-simple';
import express, { type Express, type RequestHandler, type Router } from 'express';
import session from 'express-session';
import helmet from 'helmet';
import pg from 'pg';
import { pino, type Logger } from 'pino';
import { pinoHttp } from 'pino-http';
import sirv from 'sirv';
import { Admission } from './admission.js';
import type { Config } from './config.js';
import { doHere, doInThreads } from './request-threads/thread-work.js';
import { openFeatures } from './features.js';
import { loadAuditKey } from './database/audit.js';
import { releaseDeadLeases } from './database/lease.js';
import { migrate, openDatabase, type Database } from './database/database.js';
import { SettingModel } from './database/models.js';
import { apiRoutes } from './features/api/routes.js';
import { HealthCheck } from './features/health/routes.js';
import { ShortImportPool } from './threads/short-import-pool.js';
import { LogImports } from './features/logs/log-import.js';
import { logRoutes } from './features/logs/routes.js';
import { maskingRoutes } from './features/masking/routes.js';
import { ComparisonRuns } from './features/comparisons/comparison-runs.js';
import { CachedInputs } from './features/replays/context-store.js';
import { ReplayRuns } from './features/replays/replay-runs.js';
import { CategoryFeeds } from './features/categories/categories.js';
import { Corrections } from './features/corrections/corrections.js';
import type { Datasets } from './reference/datasets.js';
import { ImpactAnalysis } from './features/datasets/impact-analysis.js';
import { ReferenceImports } from './features/datasets/imports.js';
import { Removals } from './features/datasets/removals.js';
import { categoryRoutes } from './features/categories/routes.js';
import { correctionRoutes } from './features/corrections/routes.js';
import { datasetRoutes } from './features/datasets/routes.js';
import { sourceRoutes } from './features/sources/routes.js';
import type { FetchLimits } from './features/sources/fetch.js';
import { Sources } from './features/sources/sources.js';
import type { ReferenceSnapshots } from './reference/reference-snapshots.js';
import { userRoutes } from './features/users/routes.js';
import { SignInAttempts } from './features/users/sign-in-attempts.js';
import { Users } from './features/users/users.js';
import { Authenticator } from './http/authenticate.js';
import { handleErrors } from './http/problem.js';
import type { Route } from './http/route.js';
import { buildRouter } from './http/router.js';
import { runPeriodically } from './periodic.js';
import { removeStaleFolders } from './temporary-folder.js';
import { JobQueue } from './jobs/job-queue.js';
import { JudgingPool } from './threads/evaluation-pool.js';
import { RequestThreads } from './request-threads/request-threads.js';
import { ReferencePool } from './threads/reference-pool.js';

const MAX_CONNECTIONS = 10;
const SESSION_AGE_MS = 12 * 60 * 60 * 1000;
const MAX_THREADS = 4;
/** How often the service looks which reference data is due, and what other processes left behind. */
const REFRESH_CHECK_MS = 60_000;
const RESUME_CHECK_MS = 5_000;
const AUDIT_CHECK_MS = 10_000;
const FETCH_LIMITS = { timeoutMs: 120_000, maxRedirects: 5 };

/** The service, ready to listen. */
export interface Service {
  readonly app: Express;
  /** The route table, for tests of every route. */
  readonly routes: readonly Route[];
  readonly users: Users;
  readonly logger: Logger;
  /** From here on /ready answers 503, so that a load balancer sends no more requests. */
  drain(): void;
  /** Ends work under way and closes connections. */
  close(): Promise<void>;
}

interface Unfinished {
  readonly db: Database;
  readonly imports: LogImports;
  readonly runs: ReplayRuns;
  readonly comparisons: ComparisonRuns;
  readonly referenceImports: ReferenceImports;
  readonly queue: JobQueue;
  readonly logger: Logger;
}

/** Takes up what an earlier process left behind, and begins to take jobs. */
async function resume({ db, imports, runs, comparisons, referenceImports, queue, logger }: Unfinished): Promise<void> {
  await releaseDeadLeases(db);
  const removed = await imports.removeUnfinished();
  if (removed > 0) logger.warn({ logs: removed }, 'removed logs whose import had not finished');
  await queue.start({
    replay: async (replayId) => {
      if (!(await runs.isUnderWay(replayId))) await runs.run(replayId);
    },
    comparison: (comparisonId) => comparisons.run(comparisonId),
    check: (datasetId, userId) => referenceImports.finishCheck(datasetId, { userId }),
  });
  for (const replayId of await runs.unfinished(['waiting', 'running'])) await queue.addReplay(replayId);
  for (const comparisonId of await comparisons.unfinished(['waiting', 'running']))
    await queue.addComparison(comparisonId);
  await referenceImports.resume();
}

/** Takes up what a process left behind that has ended since. */
async function takeUp({ db, imports, runs, comparisons, queue }: Unfinished): Promise<void> {
  await releaseDeadLeases(db);
  await imports.removeUnfinished();
  for (const replayId of await runs.unfinished(['running'])) await queue.addReplay(replayId);
  for (const comparisonId of await comparisons.unfinished(['running'])) await queue.addComparison(comparisonId);
}

/** Routes of reference data that need no rules. */
function referenceRoutes(opened: {
  readonly db: Database;
  readonly datasets: Datasets;
  readonly referenceSnapshots: ReferenceSnapshots;
  readonly sources: Sources;
  readonly imports: ReferenceImports;
  readonly maxUploadBytes: number;
}): Route[] {
  const { db, datasets, referenceSnapshots, sources, imports, maxUploadBytes } = opened;
  const corrections = new Corrections(db, datasets, () => referenceSnapshots.categoryNames());
  return [
    ...datasetRoutes({ datasets, imports, removals: new Removals(datasets) }, maxUploadBytes),
    ...sourceRoutes(sources),
    ...correctionRoutes(corrections),
    ...categoryRoutes(new CategoryFeeds(datasets, referenceSnapshots, sources)),
  ];
}

function admitImports({ maxImports, maxWaiting }: Config): Admission {
  return new Admission('imports', maxImports, maxWaiting, 'JADEFENCE_MAX_IMPORTS or JADEFENCE_MAX_WAITING');
}

function fetchLimits({ maxUploadBytes, mayFetchPrivate }: Config): FetchLimits {
  return { ...FETCH_LIMITS, maxBytes: maxUploadBytes, mayFetchPrivate };
}

function openSessionPool(connectionString: string, logger: Logger): pg.Pool {
  const pool = new pg.Pool({ connectionString, max: 2 });
  // Without a listener a lost connection would end the process.
  pool.on('error', (error) => logger.error({ err: error }, 'session store'));
  return pool;
}

/** @param hasThreads unless, everything is answered on the event loop, for tests of the sources */
export async function createService(config: Config, hasThreads = true): Promise<Service> {
  const logger = pino({ level: config.logLevel });
  const db = openDatabase(config.databaseUrl, MAX_CONNECTIONS);
  await migrate(db);
  await loadAuditKey(db, config.auditKeyFile);
  await removeStaleFolders();
  const attempts = new SignInAttempts(db);
  const users = new Users(db, attempts);
  const health = new HealthCheck(db);
  const queue = new JobQueue(config.databaseUrl, logger);
  const numJudging = Math.min(availableParallelism(), MAX_THREADS);
  const pool = new JudgingPool(numJudging, config.maxLimitKeys, logger);
  const features = openFeatures({ db, config, pool, queue });
  const { datasets, referenceSnapshots, logs, pages, replays } = features;
  const threads = hasThreads ? new RequestThreads(config, numJudging, { pool, queue, datasets }, logger) : undefined;
  const elsewhere = threads ? doInThreads(threads) : doHere(features);
  const judges = new CachedInputs(elsewhere.judges);
  const importAdmission = admitImports(config);
  const { maxUploadBytes } = config;
  const shortImports = new ShortImportPool(logger);
  const imports = new LogImports(db, logs, referenceSnapshots, importAdmission, shortImports, maxUploadBytes, logger);
  const runs = new ReplayRuns(db, logs, judges, pool, logger, config.checkpointSeconds * 1000);
  const comparisons = new ComparisonRuns(db, { replays, runs, pages, sources: judges, logs, pool, logger });
  const readers = new ReferencePool(config.referenceSeconds * 1000, logger);
  const effects = new ImpactAnalysis(db, datasets, elsewhere.effects, runs, queue);
  const referenceImports = new ReferenceImports(datasets, effects, readers, importAdmission);
  const sources = new Sources(db, referenceImports, fetchLimits(config), config.referenceFolder, logger);
  const routes: Route[] = [
    ...apiRoutes(() => routes),
    ...health.routes,
    ...userRoutes(users),
    ...maskingRoutes(features.masking),
    ...referenceRoutes({ db, datasets, referenceSnapshots, sources, imports: referenceImports, maxUploadBytes }),
    ...logRoutes(logs, imports, maxUploadBytes),
    ...features.routes,
  ];
  const unfinished = { db, imports, runs, comparisons, referenceImports, queue, logger };
  await resume(unfinished);
  const periodic = [
    runPeriodically('refresh', REFRESH_CHECK_MS, () => sources.refreshDue(new Date()), logger),
    runPeriodically('audit trail', AUDIT_CHECK_MS, () => elsewhere.verifyTrail(), logger),
    runPeriodically('take up', RESUME_CHECK_MS, () => takeUp(unfinished), logger),
    runPeriodically('sign-in attempts', REFRESH_CHECK_MS, () => attempts.removeQuiet(), logger),
  ];
  const sessionPool = openSessionPool(config.databaseUrl, logger);
  const app = buildApp(
    config,
    logger,
    await sessionHandler(config, db, sessionPool),
    buildRouter(routes, new Authenticator(users), elsewhere.requests, features.masking, logger),
  );
  return {
    app,
    routes,
    users,
    logger,
    drain: () => {
      health.drain();
      features.draftWatch.end();
    },
    async close() {
      for (const item of periodic) await item.stop();
      await queue.stop();
      await threads?.close();
      await pool.close();
      await readers.close();
      await shortImports.close();
      await sessionPool.end();
      await db.destroy();
    },
  };
}

function buildApp(config: Config, logger: Logger, sessions: RequestHandler, router: Router): Express {
  const app = express();
  app.disable('x-powered-by');
  // Nothing of the API is stored; the version of a draft is the only tag.
  app.set('etag', false);
  app.use(
    pinoHttp({
      logger,
      // Queries and bodies may hold what a person typed, so neither is logged.
      serializers: {
        req: ({ id, method, url }: { id: string; method: string; url: string }) => ({
          id,
          method,
          path: url.split('?')[0],
        }),
        res: ({ statusCode }: { statusCode: number }) => ({ statusCode }),
      },
      customLogLevel: (_request, response, error) => (error || response.statusCode >= 500 ? 'error' : 'debug'),
    }),
  );
  app.use(
    helmet({
      contentSecurityPolicy: {
        useDefaults: true,
        directives: {
          'style-src': ["'self'", "'unsafe-inline'"],
          'upgrade-insecure-requests': config.isBehindHttps ? [] : null,
        },
      },
      strictTransportSecurity: config.isBehindHttps,
    }),
  );
  if (config.isBehindHttps) app.set('trust proxy', 1);
  app.use('/api/v1', sessions, router);
  serveConsole(app, config.consoleFolder);
  app.use(handleErrors(logger));
  return app;
}

/** The first part of the address of a page of the console. */
const PAGES: ReadonlySet<string> = new Set([
  '',
  'applications',
  'audit',
  'categories',
  'compare',
  'comparisons',
  'countries',
  'expectations',
  'fences',
  'findings',
  'gates',
  'limit-advice',
  'lists',
  'logs',
  'matrix',
  'pages',
  'readiness',
  'replays',
  'rule-use',
  'revisions',
  'schedules',
  'settings',
  'try',
]);

const YEAR_SECONDS = 365 * 24 * 60 * 60;

/** An address that is not the API's is a page of the console, which also reports that it has no such page. */
function serveConsole(app: Express, folder: string): void {
  if (!existsSync(join(folder, 'index.html'))) return;
  // The build put a compressed copy next to each file; a name in assets has a hash of what it holds.
  const compressed = { brotli: true, gzip: true };
  app.use('/assets', sirv(join(folder, 'assets'), { ...compressed, immutable: true, maxAge: YEAR_SECONDS }));
  app.use(
    '/assets',
    (_request, response) => void response.status(404).type('text/plain').send('There is no such file.\n'),
  );
  app.use(sirv(folder, { ...compressed, extensions: [] }));
  app.get('/{*page}', (request, response) =>
    response
      .status(PAGES.has(request.path.split('/')[1]!) ? 200 : 404)
      .sendFile('index.html', { root: folder, headers: { 'cache-control': 'no-cache' } }),
  );
}

async function sessionHandler(config: Config, db: Database, pool: pg.Pool): Promise<RequestHandler> {
  const Store = connectPgSimple(session);
  return session({
    name: 'jadefence',
    secret: await sessionSecret(db),
    resave: false,
    saveUninitialized: false,
    rolling: true,
    store: new Store({ pool, tableName: 'sessions' }),
    cookie: { httpOnly: true, sameSite: 'strict', secure: config.isBehindHttps, maxAge: SESSION_AGE_MS },
  });
}

/** Made once for a database, so that sign-ins outlive a restart. */
async function sessionSecret(db: Database): Promise<string> {
  const key = 'session-secret';
  await SettingModel.query(db)
    .insert({ key, value: randomBytes(32).toString('hex') })
    .onConflict('key')
    .ignore();
  return (await SettingModel.query(db).findById(key).throwIfNotFound()).value;
}
