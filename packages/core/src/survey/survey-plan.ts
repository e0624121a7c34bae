/** What a survey reads of stored chunks, each distinct value once. */
import { NO_GATE } from '../decide/gate.js';
import {
  clientFeature,
  feature,
  featureOf,
  hostFeature,
  namedGateFeature,
  type Feature,
} from '../match/features/features.js';
import { KeyFeature, KeyInterner } from '../match/features/keys.js';
import { Plan } from '../match/rows/plan.js';
import { formatAddress } from '../request/address.js';
import type { Field } from '../request/field.js';

const VIEW = { gate: NO_GATE, isHidden: false, referenceData: {} };
/** The headers in which proxies name the client. */
export const FORWARDED_HEADERS = ['x-forwarded-for', 'forwarded'] as const;
export type ForwardedHeader = (typeof FORWARDED_HEADERS)[number];
export const NO_METHOD = '(none)';
export const UNKNOWN_METHOD = '(unknown)';

export class SurveyPlan extends Plan {
  readonly #texts = new KeyInterner();
  /** Slots; -1 where a request has none, or it is unknown. */
  readonly client = this.#slot(clientFeature(NO_GATE), (client) => (client ? formatAddress(client) : undefined));
  readonly host = this.#slot(hostFeature, (host) => host ?? undefined);
  readonly path = this.#slot(featureOf('path', undefined, VIEW)!, (path) => (path as Field<string>) ?? undefined);
  readonly method = this.#slot(featureOf('method', undefined, VIEW)!, (method) =>
    method === undefined ? UNKNOWN_METHOD : ((method as string | null) ?? NO_METHOD),
  );
  /** The status as a number. */
  readonly status = this.slotFor(
    feature('status', ['http.response.status_code'], ({ attributes }) => {
      const status = attributes['http.response.status_code'];
      return typeof status === 'number' ? status : -1;
    }),
  );
  /** The index in `FORWARDED_HEADERS` of the header that names another client; -1 if there is none. */
  readonly forwarded = this.slotFor(
    feature('forwarded', ['http.request.header.x-forwarded-for', 'http.request.header.forwarded'], ({ attributes }) =>
      FORWARDED_HEADERS.findIndex((name) => attributes[`http.request.header.${name}`] != null),
    ),
  );

  /** Whether no gate for the hosts of the log covers the request: it has no known host, or names a gate itself. */
  readonly uncovered = this.slotFor(
    feature('uncovered', [...hostFeature.inputs, ...namedGateFeature.inputs], (reading) =>
      hostFeature.read(reading) == null || namedGateFeature.read(reading) != null ? 1 : 0,
    ),
  );

  constructor() {
    super();
    this.seal();
  }

  #slot<T>(read: Feature<T>, textOf: (value: T) => string | undefined): number {
    const text = feature(`survey ${read.key}`, read.inputs, (reading) => textOf(read.read(reading)));
    return this.slotFor(new KeyFeature(text, this.#texts));
  }

  textOf(number: number): string {
    return this.#texts.textOf(number);
  }

  override get isFull(): boolean {
    return super.isFull || this.#texts.size > this.bounds.texts;
  }

  override clear(): void {
    super.clear();
    this.#texts.clear();
  }
}
