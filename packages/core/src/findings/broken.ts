/** A review of fences with errors: these first, then what is wrong with all that has none. */
import type { CheckedFences } from '../check/check-fences.js';
import type { Diagnostic, SourceLocation } from '../language/diagnostic.js';
import type { FenceFile, Statement } from '../language/tree.js';
import { liveRules } from './rules.js';
import type { Finding, FindingId, Review, ReviewInput } from './finding.js';
import { reviewRules } from './review.js';

/** What is left out can be named elsewhere, which is then left out as well, and so on; so often at most. */
const MAX_ROUNDS = 50;

/**
 * Reviews fences, as far as they can be.
 * @param recheck checks files of which parts were left out, with everything else as it was
 */
export function reviewFences(
  checked: CheckedFences,
  recheck: (files: readonly FenceFile[]) => CheckedFences,
  input: Omit<ReviewInput, 'statements' | 'rulebook'>,
): Review {
  const found = [
    ...checked.diagnostics.map((diagnostic) => findingOf(diagnostic, 'error')),
    ...checked.warnings.map((warning) => findingOf(warning, 'warning')),
  ];
  // What could not be read is not there anyway; the other errors are those of what is.
  let whole = checked.rulebook ? checked : recheck(checked.files);
  for (let round = 0; !whole.rulebook && round < MAX_ROUNDS; round += 1) {
    const files = withoutBroken(whole.files, whole.diagnostics);
    if (!files) break;
    whole = recheck(files);
  }
  const { rulebook } = whole;
  if (!rulebook) return { findings: found, ignored: [], undecided: [], checked: { rules: 0, gates: 0 } };
  const statements = whole.files.flatMap((file) => file.statements);
  const review = reviewRules({ ...input, statements, rulebook });
  const isWhole = whole === checked;
  const errors = found.filter(({ level }) => level === 'error');
  const warnings = found.filter(({ level }) => level === 'warning');
  // A part that was left out can be what made another one sensible.
  const kept = isWhole ? review.findings : review.findings.filter(({ id }) => !ABOUT_ABSENCE.has(id));
  const at = kept.findIndex(({ level }) => level !== 'error');
  const split = at === -1 ? kept.length : at;
  return {
    ...review,
    findings: [...errors, ...kept.slice(0, split), ...warnings, ...kept.slice(split)],
    ...(isWhole ? {} : { checked: { ...review.checked, skipped: countRules(checked) - liveRules(rulebook).length } }),
  };
}

/** Findings that something is missing, which may be only left out. */
const ABOUT_ABSENCE: ReadonlySet<FindingId> = new Set<FindingId>([
  'unused-list',
  'empty-list',
  'fence-without-gate',
  'gate-without-fence',
  'missing-need',
  'tag-never-read',
  'tag-never-set',
  'no-category-fallback',
  'open-ended-allow-list',
]);

function countRules({ files }: CheckedFences): number {
  return files
    .flatMap(({ statements }) => statements)
    .reduce(
      (sum, one) => sum + (one.kind === 'fence' ? one.rules.filter(({ state }) => state !== 'off').length : 0),
      0,
    );
}

function findingOf({ code, message, place, hint = '' }: Diagnostic, level: 'error' | 'warning'): Finding {
  const id = code === 'unknown-name' ? 'unknown-name' : code === 'unset-tag' ? 'tag-never-set' : 'invalid';
  return {
    id,
    level,
    subject: `${place.file}:${place.line}`,
    place,
    message,
    hint,
    evidence: id === 'invalid' ? [code] : [],
  };
}

/** The files without the rules, and the statements, that errors are in; undefined where nothing is left out by that. */
function withoutBroken(files: readonly FenceFile[], diagnostics: readonly Diagnostic[]): FenceFile[] | undefined {
  const broken = new Set<object>();
  for (const { place } of diagnostics) {
    const file = files.find(({ path }) => path === place.file);
    const statement = lastBefore(file?.statements ?? [], place);
    if (!statement) continue;
    const rule = statement.kind === 'fence' ? lastBefore(statement.rules, place) : undefined;
    broken.add(rule ?? statement);
  }
  if (broken.size === 0) return undefined;
  return files.map((file) => ({
    ...file,
    statements: file.statements
      .filter((statement) => !broken.has(statement))
      .map((statement): Statement =>
        statement.kind === 'fence' && statement.rules.some((rule) => broken.has(rule))
          ? { ...statement, rules: statement.rules.filter((rule) => !broken.has(rule)) }
          : statement,
      ),
  }));
}

function lastBefore<T extends { readonly place: SourceLocation }>(
  items: readonly T[],
  { line, column }: SourceLocation,
): T | undefined {
  return items.findLast(({ place }) => place.line < line || (place.line === line && place.column <= column));
}
