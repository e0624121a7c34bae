/** Building everything that runs: libraries and service by the TypeScript compiler, the client as one file, the console. */
import { createHash } from 'node:crypto';
import { existsSync, mkdirSync, readdirSync, readFileSync, rmSync, statSync, writeFileSync } from 'node:fs';
import { join } from 'node:path';
import { brotliCompressSync, gzipSync } from 'node:zlib';
import { writeAnswerSchemas } from './answer-schemas.mjs';
import { buildKernel } from './kernel.mjs';
import { ROOT, run, step } from './run.mjs';

const TSC = 'node_modules/typescript7/bin/tsc';
const STAMP = join(ROOT, '.jadefence', 'built');

/** Builds what changed since the last build. */
export async function build() {
  const stamp = hashSources();
  if (
    existsSync(STAMP) &&
    readFileSync(STAMP, 'utf8') === stamp &&
    existsSync(join(ROOT, 'packages/cli/dist/jadefence.mjs'))
  )
    return;
  await step('Building', async () => {
    await buildKernel();
    await run(process.execPath, [TSC, '-b', 'tsconfig.build.json']);
    await writeAnswerSchemas();
    await buildClient();
    await run(process.execPath, [join(ROOT, 'node_modules/vite/bin/vite.js'), 'build', '--logLevel', 'warn'], {
      cwd: join(ROOT, 'packages/console'),
    });
    compressAssets(join(ROOT, 'packages/console/dist'));
    mkdirSync(join(ROOT, '.jadefence'), { recursive: true });
    // The kernel is a source of the rest.
    writeFileSync(STAMP, hashSources());
  });
}

/** Puts a copy next to each file of the console, by Brotli and by gzip, which the service sends. */
function compressAssets(folder) {
  for (const entry of readdirSync(folder, { recursive: true, withFileTypes: true })) {
    if (!entry.isFile() || !/\.(js|css|svg|json)$/.test(entry.name)) continue;
    const path = join(entry.parentPath, entry.name);
    const bytes = readFileSync(path);
    writeFileSync(`${path}.br`, brotliCompressSync(bytes));
    writeFileSync(`${path}.gz`, gzipSync(bytes, { level: 9 }));
  }
}

const CLIENT = 'packages/cli/dist';
const PART = /^part-.*\.m?js$/;

/**
 * The command-line client as one file, which starts in a third of the time of its modules, with parts that are loaded when a
 * command needs them, and another file for its thread.
 */
async function buildClient() {
  for (const name of readdirSync(join(ROOT, CLIENT))) if (PART.test(name)) rmSync(join(ROOT, CLIENT, name));
  await bundle('packages/cli/src/main.ts', 'jadefence', '.mjs');
  await bundle('packages/files/src/import-worker.ts', 'import-worker', '.js');
}

async function bundle(entryPoint, name, extension) {
  const esbuild = await import('esbuild');
  await esbuild.build({
    absWorkingDir: ROOT,
    entryPoints: [{ in: entryPoint, out: name }],
    outdir: CLIENT,
    outExtension: { '.js': extension },
    chunkNames: 'part-[hash]',
    splitting: true,
    bundle: true,
    platform: 'node',
    format: 'esm',
    target: 'node20',
    conditions: ['jade-source'],
    legalComments: 'none',
    // Some libraries are CommonJS and require Node's built-in modules.
    banner: { js: "import { createRequire } from 'node:module'; const require = createRequire(import.meta.url);" },
    logLevel: 'error',
  });
}

function hashSources() {
  const hash = createHash('sha256').update(process.version);
  const visit = (folder) => {
    for (const entry of readdirSync(folder, { withFileTypes: true }).sort((a, b) => (a.name < b.name ? -1 : 1))) {
      const path = join(folder, entry.name);
      if (entry.isDirectory()) {
        if (!['node_modules', 'dist'].includes(entry.name)) visit(path);
      } else if (/\.(tsx?|json|css|html|svg)$/.test(entry.name)) {
        const { size, mtimeMs } = statSync(path);
        hash.update(`${path} ${size} ${mtimeMs}\n`);
      }
    }
  };
  for (const folder of ['packages', 'demo/src']) visit(join(ROOT, folder));
  return hash.update(readFileSync(join(ROOT, 'package-lock.json'))).digest('hex');
}
