/** Everything that has to be there before the project can run: Node, packages of npm, packages of Debian. */
import { createHash } from 'node:crypto';
import { accessSync, constants, existsSync, readdirSync, readFileSync, writeFileSync } from 'node:fs';
import { join } from 'node:path';
import { ROOT, run, runHere, SetupError, step } from './run.mjs';

const OLDEST_NODE = [20, 19];

export function checkNode() {
  const [major, minor] = process.versions.node.split('.').map(Number);
  if (major < OLDEST_NODE[0] || (major === OLDEST_NODE[0] && minor < OLDEST_NODE[1])) {
    throw new SetupError(`Node ${process.versions.node} is too old, expected ${OLDEST_NODE.join('.')} or newer.`);
  }
}

/** Installs what the lock file names, unless the same lock was installed by the same Node. */
export async function installPackages() {
  const stampFile = join(ROOT, 'node_modules', '.jadefence-installed');
  const stamp = createHash('sha256')
    .update(readFileSync(join(ROOT, 'package-lock.json')))
    .update(process.version)
    .digest('hex');
  if (existsSync(stampFile) && readFileSync(stampFile, 'utf8') === stamp) return;
  await step('Installing packages (npm ci)', async () => {
    await run('npm', ['ci', '--no-audit', '--no-fund']);
    writeFileSync(stampFile, stamp);
  });
}

/** The folder with PostgreSQL's programs, installed from Debian's packages where missing. */
export async function findPostgres() {
  const find = () => {
    const versions = existsSync('/usr/lib/postgresql')
      ? readdirSync('/usr/lib/postgresql').sort((a, b) => Number(b) - Number(a))
      : [];
    const debian = versions.map((version) => `/usr/lib/postgresql/${version}/bin`);
    return [...debian, ...(process.env.PATH ?? '').split(':')].find(
      (folder) => isProgram(join(folder, 'initdb')) && isProgram(join(folder, 'pg_ctl')),
    );
  };
  return find() ?? (await installFromDebian('postgresql', find));
}

/** Chromium for the tests of the console, installed from Debian's packages where missing. */
export async function findChromium() {
  const find = () => ['/usr/bin/chromium', process.env.CHROMIUM].find((path) => path && isProgram(path));
  return find() ?? (await installFromDebian('chromium', find));
}

function isProgram(path) {
  try {
    accessSync(path, constants.X_OK);
    return true;
  } catch {
    return false;
  }
}

async function installFromDebian(name, find) {
  const hasApt = isProgram('/usr/bin/apt-get');
  if (process.getuid?.() !== 0 || !hasApt) {
    throw new SetupError(
      `${name} is not installed. Install it with your system's packages, on Debian: sudo apt-get install --no-install-recommends ${name}`,
    );
  }
  await step(`Installing ${name} (apt-get)`, async () => {
    const env = { ...process.env, DEBIAN_FRONTEND: 'noninteractive' };
    await run('apt-get', ['update', '-qq'], { env });
    await run('apt-get', ['install', '-y', '--no-install-recommends', name], { env });
  });
  const found = find();
  if (!found) throw new SetupError(`${name} was installed but its programs were not found.`);
  return found;
}

/** Whether a command of this project's node_modules exits fine, output shown here. */
export function runTool(script, args, options) {
  return runHere(process.execPath, [join(ROOT, 'node_modules', script), ...args], options);
}
