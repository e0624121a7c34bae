import { checkFences, type CheckedFences, type Rulebook } from '@jadefence/core/check';
import { datasetNamesOf, EditError, type Configuration } from '@jadefence/core/edit';
import { joinParts, mergeParts, splitIntoParts, type Diagnostic, type DiagnosticCode } from '@jadefence/core/language';
import type { FenceSources } from '@jadefence/contract';
import { ProblemError } from '../../http/problem.js';

/** An unknown name may stay in a draft until it is fixed; any other error refuses a change. */
const ALLOWED_IN_DRAFT: readonly DiagnosticCode[] = ['unknown-name'];

/**
 * Reads sources into what a draft stores.
 * @param base where given, what the sources do not name stays as it is there
 * @throws ProblemError with every error
 */
export function readSources(sources: FenceSources, base?: Configuration): Configuration {
  const { files, diagnostics } = checkFences(sources.fenceFiles, sources.namedFiles);
  assertNoErrors(diagnostics);
  const parts = splitIntoParts(files);
  if (!base) return { parts, namedFiles: sources.namedFiles };
  const namedFiles = new Map([...base.namedFiles, ...sources.namedFiles].map((file) => [file.path, file]));
  return { parts: mergeParts(base.parts, parts), namedFiles: [...namedFiles.values()] };
}

/** Calls the core; its errors become problems with the same code. */
export function toProblem<T>(query: () => T): T {
  try {
    return query();
  } catch (error) {
    if (!(error instanceof EditError)) throw error;
    throw new ProblemError(error.code, error.message, error.hint === undefined ? {} : { hint: error.hint });
  }
}

/** @throws ProblemError with every error that cannot stay in a draft */
export function assertNoErrors(diagnostics: readonly Diagnostic[]): void {
  const errors = diagnostics.filter(({ code }) => !ALLOWED_IN_DRAFT.includes(code));
  if (errors.length === 0) return;
  const count = `${errors.length} ${errors.length === 1 ? 'error' : 'errors'}`;
  throw new ProblemError('bad-fences', `The fences have ${count}; the draft is as it was.`, {
    errors: errors.map(report),
  });
}

/** @throws ProblemError if the fences have errors; `what` names them, `hint` is the fix */
export function usableRulebook(
  { rulebook, diagnostics }: CheckedFences,
  what = 'The draft',
  hint = 'Fix the errors first.',
): Rulebook {
  if (!rulebook) {
    const errors = diagnostics.map(report);
    throw new ProblemError('draft-invalid', `${what} has errors and cannot judge.`, { errors, hint });
  }
  if (rulebook.gates.length === 0)
    throw new ProblemError('draft-invalid', `${what} has no gate, so no request would be judged.`, {
      hint: 'Import fences with jadefence fence import PATH, or add a gate.',
    });
  return rulebook;
}

/** @throws ProblemError where something is probably a mistake: what a draft may hold for a while is not published */
export function refuseWarnings({ warnings }: CheckedFences, what: string): void {
  if (warnings.length > 0)
    throw new ProblemError('draft-invalid', `${what} tests tags that no rule sets.`, {
      errors: warnings.map(report),
      hint: 'Correct the name, or add the rule that sets the tag; nothing was published.',
    });
}

function report({ place, message, hint, code }: Diagnostic): { place: string; message: string } {
  return {
    place: `${place.file}:${place.line}:${place.column}`,
    message: `${message}${hint ? ` ${hint}` : ''} [${code}]`,
  };
}

/** The configuration with statements taken from another, by kind and name; a fence comes with its rules, what is gone there goes. */
export function takeParts(
  base: Configuration,
  from: Configuration,
  only: readonly { readonly part: string; readonly name: string }[],
): Configuration {
  const isTaken = (kind: string, owner: string, name: string): boolean =>
    only.some((item) =>
      kind === 'rule' ? item.part === 'fence' && item.name === owner : item.part === kind && item.name === name,
    );
  const keyOf = ({ kind, owner, name }: Configuration['parts'][number]): string => `${kind} ${owner} ${name}`;
  const kept = new Map(
    base.parts.filter((part) => !isTaken(part.kind, part.owner, part.name)).map((part) => [keyOf(part), part]),
  );
  // In the order of the other configuration, then what only the base has.
  const ordered = from.parts.flatMap((part) => {
    if (isTaken(part.kind, part.owner, part.name)) return [part];
    const old = kept.get(keyOf(part));
    kept.delete(keyOf(part));
    return old ? [old] : [];
  });
  const parts = [...ordered, ...kept.values()];
  const named = new Set(
    namedPaths({ parts: from.parts.filter((part) => isTaken(part.kind, part.owner, part.name)), namedFiles: [] }),
  );
  const files = new Map(base.namedFiles.map((file) => [file.path, file]));
  for (const file of from.namedFiles) if (named.has(file.path)) files.set(file.path, file);
  const taken = new Set(datasetNamesOf(from.parts.filter((part) => isTaken(part.kind, part.owner, part.name))));
  const datasets = datasetNamesOf(parts).flatMap((name) => {
    const source = taken.has(name) ? from : base;
    return source.datasets?.find((dataset) => dataset.name === name) ?? [];
  });
  return { parts, namedFiles: [...files.values()], datasets };
}

function namedPaths({ parts }: Configuration): string[] {
  return joinParts(parts, 'parts').statements.flatMap((statement) => {
    if (statement.kind === 'page') return [statement.source.path];
    return statement.kind === 'list' && statement.source.kind === 'file' ? [statement.source.path] : [];
  });
}
