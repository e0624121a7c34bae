import { ServiceError, VERSION } from '@jadefence/contract';
import { Command, CommanderError } from 'commander';
import { addAdmin } from './commands/admin.js';
import { addCompletion } from './commands/completion.js';
import { addApplication } from './commands/application.js';
import { addCategory } from './commands/category.js';
import { addCountry } from './commands/country.js';
import { addDataset } from './commands/dataset.js';
import { addFence, addFenceEdits } from './commands/fence.js';
import { addGate } from './commands/gate.js';
import { addGatePreview } from './commands/gate-preview.js';
import { addDraft } from './commands/draft.js';
import { addExpect } from './commands/expect.js';
import { addReview } from './commands/review.js';
import { addFormat } from './commands/format.js';
import { addLimitAdvice } from './commands/limit-advice.js';
import { addClient } from './commands/client.js';
import { addReadiness } from './commands/readiness.js';
import { addSuggest } from './commands/suggest.js';
import { addRulesFor } from './commands/rules-for.js';
import { addMasking } from './commands/masking.js';
import { addMatrix } from './commands/matrix.js';
import { addJudge } from './commands/judge.js';
import { addList } from './commands/list.js';
import { addLogImport } from './commands/log-import.js';
import { addLog } from './commands/log.js';
import { addLogin, addLogout } from './commands/login.js';
import { addPage } from './commands/page.js';
import { addPassphrase } from './commands/passphrase.js';
import { addCompare } from './commands/compare.js';
import { addReplay, addWhy } from './commands/replay.js';
import { addAudit, addPublish, addRevision } from './commands/revision.js';
import { addRule } from './commands/rule.js';
import { addRuleUse } from './commands/rule-use.js';
import { addSurvey } from './commands/survey.js';
import { addTry } from './commands/try.js';
import { EXIT, Failure, type ExitCode } from './cli-error.js';
import type { Streams } from './output.js';
import { guard } from './render/terminal.js';

/** Runs one command line. Never throws for user errors: it prints them on stderr and returns the exit code. */
export async function runProgram(args: readonly string[], given: Omit<Streams, 'data' | 'prompt'>): Promise<ExitCode> {
  const streams = guard(given);
  try {
    await buildProgram(streams).parseAsync([...args], { from: 'user' });
    return EXIT.fine;
  } catch (error) {
    return report(error, streams);
  }
}

/** All commands, for running one and for checking their help. */
export function buildProgram(streams: Streams): Command {
  const program = new Command('jadefence')
    .description('Write access rules and replay request logs')
    .version(VERSION)
    .exitOverride()
    .configureOutput({ writeOut: (text) => streams.stdout.write(text), writeErr: (text) => streams.stderr.write(text) })
    .showSuggestionAfterError(true);
  addSurvey(program, streams);
  addJudge(program, streams);
  addLimitAdvice(program, streams);
  addTry(program, streams);
  addMatrix(program, streams);
  addRulesFor(program, streams);
  addSuggest(program, streams);
  addExpect(program, streams);
  addReview(program, streams);
  addFormat(program, streams);
  addLogin(program, streams);
  addLogout(program, streams);
  addDraft(program.command('draft').description('Manage the draft'), streams);
  addClient(program.command('client').description('Stop clients at once, and release them'), streams);
  const fence = program.command('fence').description('Manage fences of the draft');
  addFence(fence, streams);
  addFenceEdits(fence, streams);
  addReadiness(fence, streams);
  const rule = program.command('rule').description('Manage rules of the draft');
  addRule(rule, streams);
  addRuleUse(rule, streams);
  addList(program.command('list').description('Manage lists of the draft'), streams);
  const gate = program.command('gate').description('Manage gates of the draft');
  addGate(gate, streams);
  addGatePreview(gate, streams);
  addPublish(program, streams);
  addRevision(program.command('revision').description('Manage revisions'), streams);
  addAudit(program.command('audit').description('Read the audit trail'), streams);
  const log = program.command('log').description('Manage request logs');
  addLogImport(log, streams);
  addLog(log, streams);
  addCompare(program, streams);
  addReplay(program.command('replay').description('Manage replays of stored logs'), streams);
  addWhy(program, streams);
  addCountry(program.command('country').description('Manage country tables'), streams);
  addCategory(program.command('category').description('Manage category feeds'), streams);
  addApplication(program.command('application').description('Manage applications'), streams);
  addDataset(program.command('dataset').description('Manage imported reference data'), streams);
  addPage(program.command('page').description('Manage pages of the draft'), streams);
  addPassphrase(program.command('passphrase').description('Manage passphrases'), streams);
  addMasking(program.command('masking').description('Manage masking of requests'), streams);
  addAdmin(program.command('admin').description('Manage passwords and tokens'), streams);
  addCompletion(program, streams);
  return program;
}

/** The locations of each distinct message. */
const SHOWN_LOCATIONS = 3;

/** One line an error; a message with many locations names the first, and the number of others. */
function describeErrors(errors: readonly { readonly place: string; readonly message: string }[]): string[] {
  const byMessage = new Map<string, string[]>();
  for (const { place, message } of errors) {
    const places = byMessage.get(message);
    if (places) places.push(place);
    else byMessage.set(message, [place]);
  }
  return [...byMessage].flatMap(([message, places]) => [
    ...places.slice(0, SHOWN_LOCATIONS).map((place) => `${place}: ${message}`),
    ...(places.length > SHOWN_LOCATIONS ? [`and ${places.length - SHOWN_LOCATIONS} more of these`] : []),
  ]);
}

function report(error: unknown, { stderr, env }: Streams): ExitCode {
  if (error instanceof CommanderError) return error.exitCode === 0 ? EXIT.fine : EXIT.wrongInput;
  if (error instanceof Failure) {
    stderr.write(`${error.message}\n${error.hint ? `${error.hint}\n` : ''}`);
    return error.exitCode;
  }
  if (error instanceof ServiceError) {
    const { problem } = error;
    const errors = problem?.errors ?? [];
    const isOnlyPlaced = errors.length === 1 && errors[0]!.message === error.message;
    const lines = [
      ...(isOnlyPlaced ? [] : [error.message]),
      ...describeErrors(errors),
      ...(problem?.hint ? [problem.hint] : []),
    ];
    stderr.write(`${lines.join('\n')}\n`);
    return problem === undefined || problem.status >= 500 ? EXIT.unreachable : EXIT.wrongInput;
  }
  stderr.write(`jadefence met an error that it did not foresee: ${(error as Error).message}\n`);
  stderr.write('Please report it with the command and, if you can, the input that led to it.\n');
  if (env['JADEFENCE_DEBUG']) stderr.write(`${(error as Error).stack}\n`);
  return EXIT.checkFailed;
}
