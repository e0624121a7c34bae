/** A request that an application is recognised by, found over the classes of what its signatures compare. */
import { checkFilter } from '../check/check-filter.js';
import type { Rulebook } from '../check/rulebook.js';
import { evaluate } from '../decide/evaluate.js';
import { NO_GATE, viewDecided } from '../decide/gate.js';
import type { EvaluationContext } from '../decide/interpreter.js';
import type { FenceStatement, Rule } from '../language/tree.js';
import { normalizeRequest } from '../request/request.js';
import type { Attributes, LogRecord } from '../request/record.js';
import { buildSyntheticRecord } from '../request/synthetic-request.js';
import { makeExample } from './classes/example.js';
import { axesOf, compileGate, GateModel } from './classes/gate-model.js';
import { RecordingPartitions } from './classes/recording-partitions.js';
import { sampleReferenceData } from './classes/samples.js';
import { Search, TooManyCuts } from './classes/search.js';

const MAX_CUTS = 4000;
const MAX_STEPS = 2_000_000;
const MAX_EXAMPLES = 50;
const PLACE = { file: '', line: 0, column: 0 } as const;

export interface ApplicationRequest {
  /** What it takes, the plainest that was found. */
  readonly attributes: Attributes;
  /** Where a request of this URL is recognised as well. */
  readonly url?: string;
}

/**
 * @param name of an application that the rules know
 * @returns undefined where no request could be made
 */
export function requestOfApplication(context: EvaluationContext, name: string): ApplicationRequest | undefined {
  const { filter } = checkFilter(`application = ${name}`, context.rulebook);
  if (!filter) return undefined;
  const { condition } = filter;
  const rulebook: Rulebook = {
    ...context.rulebook,
    gates: [],
    lookups: new Map([...context.rulebook.lookups, ...filter.lookups]),
  };
  const seen: EvaluationContext = { ...context, rulebook };
  const rule: Rule = {
    name: 'wanted',
    state: 'on',
    action: { kind: 'observe' },
    condition,
    matchesUnknown: false,
    comments: [],
    place: PLACE,
  };
  const fence: FenceStatement = {
    kind: 'fence',
    name: 'wanted',
    mode: 'enforce',
    rules: [rule],
    otherwise: { kind: 'continue' },
    comments: [],
    place: PLACE,
  };
  const isRecognised = (record: LogRecord): boolean =>
    evaluate(condition, { view: viewDecided(seen, normalizeRequest(record), undefined), tag: null }, rulebook) ===
    'true';
  const times = [0];
  const partitions = new RecordingPartitions();
  const compiled = compileGate({ ...NO_GATE, fences: [fence] }, false, { context: seen, times }, partitions);
  const axes = axesOf([compiled], partitions, { times, samples: sampleReferenceData(seen), lists: rulebook.lists });
  const model = new GateModel(compiled, axes, times);
  let numTried = 0;
  try {
    for (const item of new Search(model, MAX_CUTS, { steps: MAX_STEPS }).solveAll(model.anyStarts, [
      model.matches(0),
    ])) {
      const record = makeExample(model, item);
      if (record && isRecognised(record)) {
        const url = urlsOf(record.attributes).find((one) => {
          const { record: plain } = buildSyntheticRecord({ client: '192.0.2.1', url: one, atUnixMs: record.atUnixMs });
          return plain && isRecognised(plain);
        });
        return { attributes: record.attributes, ...(url === undefined ? {} : { url }) };
      }
      if ((numTried += 1) === MAX_EXAMPLES) return undefined;
    }
  } catch (error) {
    if (!(error instanceof TooManyCuts)) throw error;
  }
  return undefined;
}

/** URLs of such requests, the most usual first. */
function urlsOf(attributes: Attributes): string[] {
  const { host, serverName } = normalizeRequest({ line: 1, atUnixMs: 0, attributes });
  const name = host ?? serverName;
  if (name == null) return [];
  const { 'url.scheme': scheme, 'url.path': path, 'server.port': port } = attributes;
  const rest = `${name}${typeof port === 'number' ? `:${port}` : ''}${typeof path === 'string' ? path : '/'}`;
  return ['https', ...(typeof scheme === 'string' ? [scheme] : ['http'])].map((one) => `${one}://${rest}`);
}
