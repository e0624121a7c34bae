/** Clients that are stopped at every gate at once: a fence at the top, with a rule for each. */
import { parseDuration } from '../language/measure.js';
import type { Comparison, GateStatement, Rule } from '../language/tree.js';
import { FAMILY_BITS, formatRange, parseAddress, parseNetwork, type AddressRange } from '../request/address.js';
import { EditError, statementOf, type Configuration } from './configuration.js';
import { freeName, type Edit } from './edit.js';
import { parseRuleText } from './rule-text.js';

/** Made on first use. */
export const STOPPED_CLIENTS = 'stopped-clients';

/** A client that is stopped does not reach every gate, may be stopped there anyway, and passes again soon. */
const EXPECTED = ['never-reached', 'no-effect', 'expires-soon']
  .map((id) => `# review: ignore ${id} because the client is stopped wherever it requests something, for a while\n`)
  .join('');

/** By family, the fewest bits of a network that is stopped without a replay. */
const WIDEST = { 4: 16, 6: 32 } as const;

export interface StoppedClient {
  /** An address or a network, as fences have it. */
  readonly client: string;
  /** As `fence/rule`. */
  readonly rule: string;
  /** When it ends by itself; until it is released where absent. */
  readonly untilUnixMs?: number;
  /** Who stopped it, and why. */
  readonly owner?: string;
  readonly reason?: string;
}

export interface ClientStop {
  /** An address, or a network such as 198.18.9.0/24. */
  readonly client: string;
  /** Such as `2h`; until it is released where absent. */
  readonly for?: string;
  readonly reason?: string;
}

/** Clients that are stopped now, in the order of their rules. */
export function stoppedClients({ parts }: Pick<Configuration, 'parts'>, nowUnixMs: number): StoppedClient[] {
  return rulesOf(parts).flatMap(({ rule, range }) => {
    const untilUnixMs = endOf(rule);
    if (untilUnixMs !== undefined && untilUnixMs <= nowUnixMs) return [];
    return [
      {
        client: formatRange(range),
        rule: `${STOPPED_CLIENTS}/${rule.name}`,
        ...(untilUnixMs === undefined ? {} : { untilUnixMs }),
        ...(rule.owner === undefined ? {} : { owner: rule.owner }),
        ...(rule.reason === undefined ? {} : { reason: rule.reason }),
      },
    ];
  });
}

/** What of the language a client is. @throws EditError unless it is an address or a network */
export function readClient(client: string): AddressRange {
  const text = client.trim();
  const address = text.includes('/') ? undefined : parseAddress(text);
  const range = address ? { family: address.family, first: address.value, last: address.value } : parseNetwork(text);
  if (!range)
    throw new EditError(
      'invalid-text',
      `Found "${client}", expected an address such as 198.18.9.200, or a network such as 198.18.9.0/24.`,
    );
  const { family, first, last } = range;
  if (last - first >= 1n << BigInt(FAMILY_BITS[family] - WIDEST[family]))
    throw new EditError(
      'invalid-text',
      `The network ${formatRange(range)} is too wide to be stopped like this: at most /${WIDEST[family]}.`,
      'Write a rule, and replay a log by it first.',
    );
  return { family, first, last };
}

/**
 * Edits that stop a client at every gate, before all else; what was stopped until a time that has passed is taken out.
 * @param owner who stops it
 * @throws EditError where the client or the duration cannot be read
 */
export function stopClientEdits({ parts }: Configuration, stop: ClientStop, owner: string, nowUnixMs: number): Edit[] {
  const range = readClient(stop.client);
  const durationMs = stop.for === undefined ? undefined : parseDuration(stop.for);
  if (stop.for !== undefined && durationMs === undefined)
    throw new EditError('invalid-text', `Found "${stop.for}", expected a duration such as 30m, 2h or 7d.`);
  const rules = rulesOf(parts);
  const isOld = (one: Item): boolean =>
    formatRange(one.range) === formatRange(range) || (endOf(one.rule) ?? Number.POSITIVE_INFINITY) <= nowUnixMs;
  const taken = new Set(rules.filter((one) => !isOld(one)).map(({ rule }) => rule.name));
  const words = `stop-${formatRange(range)
    .replaceAll(/[^0-9a-f]+/g, '-')
    .replaceAll(/^-|-$/g, '')}`;
  const name = taken.has(words) ? freeName(words, taken) : words;
  // Whole seconds, as the log of a person has them.
  const untilMs = durationMs === undefined ? undefined : Math.ceil((nowUnixMs + durationMs) / 1000) * 1000;
  const until = untilMs === undefined ? '' : ` until ${new Date(untilMs).toISOString().replace('.000Z', 'Z')}`;
  const quote = (text: string): string => JSON.stringify(text.replaceAll(/\s+/g, ' ').trim());
  const reason = stop.reason === undefined ? '' : ` reason ${quote(stop.reason)}`;
  const text = `${EXPECTED}rule ${name} block when client ${range.first === range.last ? '=' : 'in'} ${formatRange(range)}${until} owner ${quote(owner)}${reason}`;
  return [
    ...fenceEdits(parts),
    ...rules.filter(isOld).map(({ rule }): Edit => removal(rule)),
    { kind: 'add-rule', fence: STOPPED_CLIENTS, text, position: { at: 'top' } },
  ];
}

/** Edits that let a client pass again. @throws EditError where it is not stopped */
export function releaseClientEdits({ parts }: Configuration, client: string): Edit[] {
  const wanted = formatRange(readClient(client));
  const found = rulesOf(parts).filter(({ range }) => formatRange(range) === wanted);
  if (found.length === 0)
    throw new EditError(
      'unknown-part',
      `The client ${wanted} is not stopped.`,
      'jadefence client list shows those that are.',
    );
  return found.map(({ rule }) => removal(rule));
}

/** The fence, where it is missing, and at the top of each gate where it is at none; it acts. */
function fenceEdits(parts: Configuration['parts']): Edit[] {
  const fence = parts.find(({ kind, name }) => kind === 'fence' && name === STOPPED_CLIENTS);
  const gates = parts.flatMap((part) => (part.kind === 'gate' ? [statementOf(part) as GateStatement] : []));
  return [
    ...(fence
      ? []
      : [
          {
            kind: 'put' as const,
            part: 'fence' as const,
            text: `fence ${STOPPED_CLIENTS} enforce "Stopped clients" {}`,
          },
        ]),
    { kind: 'set-mode', fence: STOPPED_CLIENTS, mode: 'enforce' },
    ...gates
      .filter(({ fences }) => fences[0]?.name !== STOPPED_CLIENTS)
      .map(({ name }): Edit => ({ kind: 'attach', gate: name, fence: STOPPED_CLIENTS, position: { at: 'top' } })),
  ];
}

function removal({ name }: Rule): Edit {
  return { kind: 'remove-rule', fence: STOPPED_CLIENTS, rule: name };
}

interface Item {
  readonly rule: Rule;
  readonly range: AddressRange;
}

/** Rules of the fence that compare one client and nothing else; others someone wrote there by hand. */
function rulesOf(parts: Configuration['parts']): Item[] {
  return parts.flatMap((part) => {
    if (part.kind !== 'rule' || part.owner !== STOPPED_CLIENTS) return [];
    const { rule } = parseRuleText(part.text);
    const { condition } = rule ?? {};
    if (!rule || condition?.kind !== 'comparison' || !isClient(condition)) return [];
    const [value] = condition.values;
    return value?.kind === 'addresses' ? [{ rule, range: value.range }] : [];
  });
}

function isClient({ field, operator, values, isNegated }: Comparison): boolean {
  return field === 'client' && (operator === '=' || operator === 'in') && values.length === 1 && !isNegated;
}

/** A date is the start of that day in UTC here: such rules are written by people. */
function endOf({ until }: Rule): number | undefined {
  if (until === undefined) return undefined;
  return until.kind === 'instant' ? until.atUnixMs : Date.parse(until.date);
}
