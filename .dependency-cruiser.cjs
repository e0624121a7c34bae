/** Which part may use which. `npm run check` enforces it. */
const core = (folder) => `^packages/core/src/${folder}/`;

/** Inside the core, each folder with those it may use besides itself. */
const CORE_MAY_USE = {
  arrays: [],
  binary: [],
  text: [],
  request: [],
  kernel: [],
  masking: ['request'],
  pages: ['language'],
  columns: ['arrays', 'binary', 'kernel'],
  reference: ['arrays', 'request', 'binary'],
  language: ['text', 'request', 'reference'],
  check: ['text', 'pages', 'request', 'reference', 'language'],
  edit: ['request', 'reference', 'language', 'check'],
  findings: ['request', 'reference', 'language', 'check', 'decide', 'match', 'edit'],
  decide: ['request', 'reference', 'language', 'check'],
  expectations: ['request', 'language', 'decide', 'text'],
  advice: ['arrays', 'request', 'language', 'decide', 'match'],
  traffic: ['arrays', 'request', 'edit', 'reference', 'language', 'check', 'decide', 'columns', 'match', 'replay'],
  explain: ['pages', 'request', 'reference', 'language', 'check', 'decide'],
  match: ['arrays', 'request', 'reference', 'language', 'check', 'decide', 'columns'],
  logs: ['arrays', 'text', 'request', 'columns', 'kernel', 'binary'],
  survey: ['arrays', 'request', 'reference', 'language', 'columns', 'check', 'decide', 'match'],
  replay: ['arrays', 'masking', 'request', 'reference', 'language', 'check', 'decide', 'columns', 'match'],
};

/** The bounds of the engine are parameters of every folder. */
const BOUNDS = '^packages/core/src/bounds\\.ts$';

/** Each part with the packages of ours that it may use. */
const PARTS = { core: [], contract: ['core'], files: ['core'], service: ['core', 'contract', 'files'], cli: ['core', 'contract', 'files'], console: ['core', 'contract'] };
const NOT_TEST = '\\.test\\.tsx?$|/test/';

module.exports = {
  forbidden: [
    { name: 'no-cycles', severity: 'error', from: {}, to: { circular: true, viaOnly: { dependencyTypesNot: ['type-only'] } } },
    // Folders form no cycles either, types included.
    { name: 'no-folder-cycles', scope: 'folder', severity: 'error', from: { path: '^packages/(service|console|cli)/src/' }, to: { circular: true } },
    ...Object.entries(CORE_MAY_USE).map(([folder, allowed]) => ({
      name: `core-${folder}`,
      severity: 'error',
      from: { path: core(folder), pathNot: NOT_TEST },
      to: { path: '^packages/core/src/', pathNot: [core(folder), ...allowed.map(core), BOUNDS] },
    })),
    { name: 'core-is-pure', severity: 'error', from: { path: '^packages/core/src/', pathNot: NOT_TEST }, to: { dependencyTypes: ['core'] } },
    { name: 'contract-runs-in-browsers', severity: 'error', from: { path: '^packages/contract/src/', pathNot: ['server\\.ts$', NOT_TEST] }, to: { dependencyTypes: ['core'] } },
    ...Object.entries(PARTS).map(([part, allowed]) => ({
      name: `${part}-uses`,
      severity: 'error',
      from: { path: `^packages/${part}/src/`, pathNot: NOT_TEST },
      to: { path: '^packages/', pathNot: [part, ...allowed].map((name) => `^packages/${name}/`) },
    })),
    { name: 'only-through-index', severity: 'error', from: { path: '^(packages|demo|bench|e2e)/([^/]+)/', pathNot: '^packages/core/' }, to: { path: '^packages/core/src/(?!([a-z]+/index|parse-logs|build-chunks)\\.ts)' } },
    { name: 'objection-in-database', severity: 'error', from: { path: '^packages/', pathNot: '^packages/service/src/database/' }, to: { path: 'node_modules/(objection|knex)/' } },
    { name: 'express-in-http', severity: 'error', from: { path: '^packages/', pathNot: ['^packages/service/src/http/', 'routes\\.ts$', '^packages/service/src/app\\.ts$', NOT_TEST] }, to: { path: 'node_modules/(@types/)?express/' } },
  ],
  options: {
    doNotFollow: { path: 'node_modules' },
    exclude: { path: '/dist/' },
    tsPreCompilationDeps: true,
    tsConfig: { fileName: 'tsconfig.json' },
    enhancedResolveOptions: { exportsFields: ['exports'], conditionNames: ['jade-source', 'import', 'default'], extensions: ['.ts', '.tsx', '.js', '.mjs'] },
  },
};
