/** What requests are counted by, in addition to their outcome: as their log shows them, nothing hidden. */
import { formatAddress, type Address } from '../request/address.js';
import type { Field } from '../request/field.js';
import type { Attributes, AttributeValue } from '../request/record.js';
import type { Request } from '../request/request.js';
import { recogniseApplications } from './evaluate.js';
import { viewDecided } from './gate.js';
import type { EvaluationContext } from './interpreter.js';

/** The country and the address of the client, the categories of the site, the applications it is recognised as, its host, and what the server answered. */
export const ASPECTS = ['country', 'category', 'application', 'client', 'host', 'status'] as const;
export type Aspect = (typeof ASPECTS)[number];

/** Labels of a missing and of an unknown value. */
export const NO_VALUE = '(none)';
export const UNKNOWN_VALUE = '(unknown)';

/** The values of a request under each aspect of which something can be known, by the gate that judged it. */
export function describeRequest(
  context: EvaluationContext,
  request: Request,
  gate: string | undefined,
): Map<Aspect, readonly string[]> {
  const view = viewDecided(context, request, gate);
  const { applications, lookups } = context.rulebook;
  const { certain } = recogniseApplications({ view, tag: null }, { applications, lookups });
  const values: [Aspect, readonly string[]][] = [
    ['application', describeValues(certain.length === 0 ? undefined : certain)],
    ['client', describeValues(view.client)],
    ['host', describeValues(view.get('host') as Field<string>)],
    ['status', describeValues(statusOf(request.attributes))],
  ];
  if (context.countries) values.push(['country', describeValues(view.get('country') as Field<string>)]);
  if (context.categories) values.push(['category', describeValues(view.get('category') as Field<readonly string[]>)]);
  return new Map(values);
}

export function describeValues(value: Field<string | Address | readonly string[]>): readonly string[] {
  if (value === undefined) return [UNKNOWN_VALUE];
  if (value === null) return [NO_VALUE];
  if (typeof value === 'string') return [value];
  if (!('family' in value)) return [...value].sort();
  return [formatAddress(value)];
}

/** The status that the server answered, from the log. */
export function statusOf(attributes: Attributes): Field<string> {
  const status: Field<AttributeValue> = attributes['http.response.status_code'];
  if (status == null) return status;
  return typeof status === 'number' || typeof status === 'string' ? String(status) : undefined;
}
