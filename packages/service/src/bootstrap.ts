import { ConfigError, readConfig, type Config } from './config.js';
import { AuditKeyError } from './database/audit.js';
import { isUnreachable, NewerSchemaError } from './database/database.js';
import { ProblemError } from './http/problem.js';

const EXIT_WRONG_INPUT = 2;
const EXIT_UNREACHABLE = 3;

/** Runs the work of a process with its settings. A failure is printed on stderr, and ends the process with its exit code. */
export async function runOrExplain(work: (config: Config) => Promise<void>): Promise<void> {
  let config: Config | undefined;
  try {
    config = readConfig(process.env);
    await work(config);
  } catch (error) {
    const { text, exitCode } = describeFailure(error, config);
    process.stderr.write(`${text}\n`);
    process.exit(exitCode);
  }
}

/** One clear line for what the user can fix; the whole error otherwise. */
function describeFailure(error: unknown, config: Config | undefined): { text: string; exitCode: number } {
  const { code, message } = error as { code?: string; message: string };
  if (error instanceof ConfigError)
    return { text: `The settings cannot be used.\n${message}`, exitCode: EXIT_WRONG_INPUT };
  if (error instanceof ProblemError || error instanceof NewerSchemaError || error instanceof AuditKeyError)
    return { text: message, exitCode: EXIT_WRONG_INPUT };
  if (code === 'EADDRINUSE')
    return {
      text: `Port ${config?.port} of ${config?.host} is taken by another process. Stop it, or set JADEFENCE_PORT.`,
      exitCode: EXIT_WRONG_INPUT,
    };
  if (code === 'EACCES' || code === 'EADDRNOTAVAIL')
    return {
      text: `The service cannot listen on ${config?.host}:${config?.port} (${code}). Set JADEFENCE_HOST and JADEFENCE_PORT.`,
      exitCode: EXIT_WRONG_INPUT,
    };
  if (isUnreachable(error))
    return {
      text: `The database cannot be reached (${code ?? message}). Check that PostgreSQL runs and that JADEFENCE_DATABASE_URL is right.`,
      exitCode: EXIT_UNREACHABLE,
    };
  if (code === '28P01' || code === '3D000')
    return { text: `The database refuses: ${message}. Check JADEFENCE_DATABASE_URL.`, exitCode: EXIT_WRONG_INPUT };
  return { text: String((error as Error).stack ?? error), exitCode: 1 };
}
