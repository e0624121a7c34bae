import { OUTCOMES, parseFences, printDuration, type Outcome } from '@jadefence/core/language';
import { formatRange } from '@jadefence/core/request';

/** An expectation as its form holds it; empty where nothing is written. */
export interface ExpectationValues {
  readonly outcome: Outcome;
  /** `fence/rule`. */
  readonly rule: string;
  readonly client: string;
  readonly url: string;
  /** As fence text, such as `method POST` or `header "x-key" "a"`. */
  readonly fields: readonly FieldValues[];
  /** Milliseconds since the epoch. */
  readonly atUnixMs?: number;
  /** Of `limited`: how many such requests pass before, and within what, such as `5m`. */
  readonly after: { readonly count: string; readonly window: string };
  readonly because: string;
}

export interface FieldValues {
  readonly field: string;
  readonly parameter: string;
  readonly value: string;
}

/** Every outcome but the one that no gate gives. */
export const EXPECTED_OUTCOMES = OUTCOMES.filter((outcome) => outcome !== 'uncovered');

export const NEW_EXPECTATION: ExpectationValues = {
  outcome: 'blocked',
  rule: '',
  client: '',
  url: '',
  fields: [],
  after: { count: '', window: '' },
  because: '',
};

/** The expectation as fence text; what is not right in a field is not right in the text. */
export function writeExpectation(values: ExpectationValues): string {
  const { outcome, rule, client, url, fields, atUnixMs, after, because } = values;
  const written = fields.map(({ field, parameter, value }) =>
    [field, ...(parameter === '' ? [] : [JSON.stringify(parameter)]), JSON.stringify(value)].join(' '),
  );
  return [
    `expect ${outcome}`,
    ...(rule === '' ? [] : [`by rule ${rule}`]),
    ...(outcome === 'limited' && after.count !== '' ? [`after ${after.count} in ${after.window}`] : []),
    `from ${client} to ${/^[\w./:-]+$/.test(url) ? url : JSON.stringify(url)}`,
    ...(written.length > 0 ? [`with ${written.join(', ')}`] : []),
    ...(atUnixMs === undefined ? [] : [`at ${new Date(atUnixMs).toISOString().replace('.000Z', 'Z')}`]),
    ...(because.trim() === '' ? [] : [`because ${JSON.stringify(because.trim())}`]),
  ].join(' ');
}

/** @returns the expectation, or what is wrong with the text */
export function readExpectation(text: string): ExpectationValues | { readonly problem: string } {
  const { file, diagnostics } = parseFences(text, 'expectation');
  const [diagnostic] = diagnostics;
  if (diagnostic) return { problem: `${diagnostic.message} ${diagnostic.hint ?? ''}`.trim() };
  const [statement, ...others] = file.statements;
  if (statement?.kind !== 'expect' || others.length > 0)
    return { problem: 'Expected one expectation, such as: expect blocked from 198.18.90.7 to https://shop.example/.' };
  const { outcome, by, after, client, url, atUnixMs, because = '' } = statement;
  return {
    outcome,
    rule: by ? `${by.fence}/${by.rule}` : '',
    client: formatRange(client),
    url,
    fields: statement.with.map(({ field, parameter = '', value }) => ({ field, parameter, value })),
    ...(atUnixMs === undefined ? {} : { atUnixMs }),
    after: after ? { count: String(after.count), window: printDuration(after.windowMs) } : { count: '', window: '' },
    because,
  };
}
