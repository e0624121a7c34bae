import type { EvaluationContext, HeldBehaviour } from '@jadefence/core/decide';
import type { Statement } from '@jadefence/core/language';
import { suggestNearest } from '@jadefence/core/text';
import { EXIT, Failure } from '../cli-error.js';
import type { Streams } from '../output.js';
import { loadRulebook } from './load-fences.js';
import { loadCategoryFeeds, loadCountryTable } from './load-reference.js';

/** What files are judged by. */
export interface JudgingOptions {
  readonly fences: string;
  readonly countryTable?: string;
  readonly categoryFeed?: string[];
  /** The gate that judges every request. */
  readonly gate?: string;
  readonly held?: HeldBehaviour;
}

export interface JudgingContext {
  readonly context: EvaluationContext;
  /** Of the fences. */
  readonly statements: readonly Statement[];
}

/** @throws Failure where something of it cannot be used */
export async function loadContext(
  { fences, gate, held, categoryFeed, countryTable }: JudgingOptions,
  streams: Streams,
): Promise<JudgingContext> {
  const categories = categoryFeed && (await loadCategoryFeeds(categoryFeed, streams));
  const { rulebook, files } = await loadRulebook(fences, streams, categories?.names);
  const gateNames = rulebook.gates.map(({ statement }) => statement.name);
  if (gate !== undefined && !gateNames.includes(gate)) {
    throw new Failure(
      `No gate is named "${gate}".`,
      EXIT.wrongInput,
      suggestNearest(gate, gateNames) ?? `The gates are: ${gateNames.join(', ')}.`,
    );
  }
  const countries = countryTable ? await loadCountryTable(countryTable, streams) : undefined;
  return {
    context: { rulebook, countries, categories, gate, held },
    statements: files.flatMap(({ statements }) => statements),
  };
}
