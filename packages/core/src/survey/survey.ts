import type { CountryTable } from '../reference/country-table.js';
import { describeHostless } from '../request/hostless.js';
import { formatAddress, parseAddress } from '../request/address.js';
import { REJECT_REASONS, type LogRecord, type RejectedLine, type RejectReason } from '../request/record.js';
import type { ChunkRows } from '../columns/chunk.js';
import { SparseCounts } from '../columns/sparse-counts.js';
import { ChunkReader } from '../match/rows/row-readers.js';
import { normalizeRequest } from '../request/request.js';
import { PeakRates, type Burst } from './peak-rates.js';
import { HeavyHitters, type BusyValue } from './heavy-hitters.js';
import { CardinalityEstimator, type DistinctCount } from './cardinality.js';
import { MAX_GATE_HOSTS, MAX_TRUSTED, type ProxyFacts, writeStarter, type Starter } from './starter-rules.js';
import { FORWARDED_HEADERS, NO_METHOD, SurveyPlan, UNKNOWN_METHOD, type ForwardedHeader } from './survey-plan.js';

/** What a log holds, as plain data. */
export interface Survey {
  readonly requests: number;
  readonly fromUnixMs?: number;
  readonly toUnixMs?: number;
  readonly clients: DistinctCount;
  readonly hosts: DistinctCount;
  readonly paths: DistinctCount;
  readonly busiestClients: readonly BusyValue[];
  readonly busiestPaths: readonly BusyValue[];
  readonly busiestHosts: readonly BusyValue[];
  readonly methods: readonly BusyValue[];
  readonly statuses: readonly BusyValue[];
  /** Absent without a country table. */
  readonly countries?: readonly {
    readonly country: string;
    readonly requests: number;
    readonly clients: DistinctCount;
  }[];
  readonly bursts: readonly Burst[];
  readonly burstsAreExact: boolean;
  /** To be read first: most requests name no host, so that no gate covers them. */
  readonly hostNotice?: string;
  /** What speaks for a proxy in front: then the log may show the proxy where it should show the client. */
  readonly proxySigns: readonly string[];
  readonly numRejected: number;
  readonly rejected: readonly { readonly reason: RejectReason; readonly text: string; readonly lines: number }[];
  readonly firstRejected: readonly RejectedLine[];
  readonly starter: Starter;
}

const SHOWN = 20;
const SHOWN_BURSTS = 5;
const SHOWN_REJECTED = 5;
/** Few addresses that make this share of all requests are probably proxies. */
const PROXY_SHARE = 0.5;
const PROXY_ADDRESSES = 3;
const COUNTRY_HASHES = 4096;
const REFUSED = new Set([401, 403, 404, 429]);

/** Collects a survey in one pass over a log. */
export class SurveyBuilder {
  readonly #clients = { busiest: new HeavyHitters(), distinct: new CardinalityEstimator() };
  readonly #hosts = { busiest: new HeavyHitters(), distinct: new CardinalityEstimator() };
  readonly #paths = { busiest: new HeavyHitters(), distinct: new CardinalityEstimator() };
  readonly #refusedPaths = new HeavyHitters();
  readonly #methods = new HeavyHitters();
  readonly #statuses = new HeavyHitters();
  readonly #countries = new Map<string, { requests: number; clients: CardinalityEstimator }>();
  readonly #bursts = new PeakRates();
  /** Requests that a gate for the hosts of the log does not cover, which starter rules therefore do not stop. */
  readonly #uncovered = {
    clients: new HeavyHitters(),
    countries: new HeavyHitters(),
    paths: new HeavyHitters(),
    methods: new HeavyHitters(),
    requests: 0,
  };
  readonly #rejected: Partial<Record<RejectReason, number>> = {};
  readonly #firstRejected: RejectedLine[] = [];
  #plan: SurveyPlan | undefined;
  /** By the numbers of the plan, what was not added by its text yet: a value that comes in many chunks is added once. */
  readonly #numbered = {
    clients: new SparseCounts(),
    hosts: new SparseCounts(),
    paths: new SparseCounts(),
    refused: new SparseCounts(),
    methods: new SparseCounts(),
    statuses: new SparseCounts(),
    uncoveredClients: new SparseCounts(),
    uncoveredPaths: new SparseCounts(),
    uncoveredMethods: new SparseCounts(),
    forwarders: new SparseCounts(),
  };
  #requests = 0;
  /** Requests with a header that names the client, by that header, and by the address that sent it. */
  readonly #forwarded = { 'x-forwarded-for': 0, 'forwarded': 0 };
  readonly #forwarders = new HeavyHitters();
  #fromUnixMs = Infinity;
  #toUnixMs = -Infinity;

  constructor(private readonly countries?: CountryTable) {}

  add(record: LogRecord): void {
    const request = normalizeRequest(record);
    this.#requests += 1;
    this.#fromUnixMs = Math.min(this.#fromUnixMs, record.atUnixMs);
    this.#toUnixMs = Math.max(this.#toUnixMs, record.atUnixMs);
    if (request.client) {
      const client = formatAddress(request.client);
      this.#addClient(client, 1);
      this.#bursts.add(client, record.atUnixMs);
    }
    const status = record.attributes['http.response.status_code'];
    if (request.host) addTo(this.#hosts, request.host, 1);
    if (request.path) addTo(this.#paths, request.path, 1);
    if (request.path && typeof status === 'number' && REFUSED.has(status)) this.#refusedPaths.add(request.path);
    const method = request.method ?? (request.method === null ? NO_METHOD : UNKNOWN_METHOD);
    this.#methods.add(method);
    if (typeof status === 'number') this.#statuses.add(String(status));
    if (request.host == null || request.atGate != null) {
      this.#uncovered.requests += 1;
      if (request.client) this.#addUncoveredClient(formatAddress(request.client), 1);
      if (request.path) this.#uncovered.paths.add(request.path);
      this.#uncovered.methods.add(method);
    }
    const { attributes } = record;
    const header = FORWARDED_HEADERS.find((name) => attributes[`http.request.header.${name}`] != null);
    if (header) this.#addForwarded(header, request.client ? formatAddress(request.client) : undefined, 1);
  }

  #addClient(text: string, requests: number): void {
    addTo(this.#clients, text, requests);
    const country = this.#countryOf(text);
    if (country === undefined) return;
    let counts = this.#countries.get(country);
    if (!counts)
      this.#countries.set(country, (counts = { requests: 0, clients: new CardinalityEstimator(COUNTRY_HASHES) }));
    counts.requests += requests;
    counts.clients.add(text);
  }

  #countryOf(client: string): string | undefined {
    const address = this.countries && parseAddress(client);
    return address && this.countries!.countryOf(address);
  }

  #addForwarded(header: ForwardedHeader, client: string | undefined, requests: number): void {
    this.#forwarded[header] += requests;
    if (client !== undefined) this.#forwarders.add(client, requests);
  }

  #addUncoveredClient(text: string, requests: number): void {
    this.#uncovered.clients.add(text, requests);
    const country = this.#countryOf(text);
    if (country !== undefined) this.#uncovered.countries.add(country, requests);
  }

  /** Adds all rows of a stored chunk, which has the same result as adding them one by one. */
  addChunk(rows: ChunkRows): void {
    const plan = (this.#plan ??= new SurveyPlan());
    if (plan.isFull) {
      this.#addNumbered();
      plan.clear();
    }
    const reader = new ChunkReader(plan, rows);
    const times = rows.timesUnixMs();
    const { clients, hosts, paths, refused, methods, statuses } = this.#numbered;
    const { uncoveredClients, uncoveredPaths, uncoveredMethods, forwarders } = this.#numbered;
    for (let row = 0; row < rows.numRows; row += 1) {
      reader.row = row;
      const client = reader.numberOf(plan.client);
      if (client >= 0) {
        clients.add(client);
        this.#bursts.add(plan.textOf(client), times[row]!);
      }
      const host = reader.numberOf(plan.host);
      if (host >= 0) hosts.add(host);
      const path = reader.numberOf(plan.path);
      const status = reader.numberOf(plan.status);
      if (path >= 0) paths.add(path);
      if (path >= 0 && REFUSED.has(status)) refused.add(path);
      methods.add(reader.numberOf(plan.method));
      if (status >= 0) statuses.add(status);
      if (reader.numberOf(plan.uncovered) === 1) {
        this.#uncovered.requests += 1;
        if (client >= 0) uncoveredClients.add(client);
        if (path >= 0) uncoveredPaths.add(path);
        uncoveredMethods.add(reader.numberOf(plan.method));
      }
      const header = FORWARDED_HEADERS[reader.numberOf(plan.forwarded)];
      if (header) {
        this.#forwarded[header] += 1;
        if (client >= 0) forwarders.add(client);
      }
      this.#fromUnixMs = Math.min(this.#fromUnixMs, times[row]!);
      this.#toUnixMs = Math.max(this.#toUnixMs, times[row]!);
    }
    this.#requests += rows.numRows;
  }

  #addNumbered(): void {
    const plan = this.#plan;
    if (!plan) return;
    const { clients, hosts, paths, refused, methods, statuses } = this.#numbered;
    clients.take((number, requests) => this.#addClient(plan.textOf(number), requests));
    hosts.take((number, requests) => addTo(this.#hosts, plan.textOf(number), requests));
    paths.take((number, requests) => addTo(this.#paths, plan.textOf(number), requests));
    refused.take((number, requests) => this.#refusedPaths.add(plan.textOf(number), requests));
    methods.take((number, requests) => this.#methods.add(plan.textOf(number), requests));
    statuses.take((status, requests) => this.#statuses.add(String(status), requests));
    const { uncoveredClients, uncoveredPaths, uncoveredMethods } = this.#numbered;
    uncoveredClients.take((number, requests) => this.#addUncoveredClient(plan.textOf(number), requests));
    uncoveredPaths.take((number, requests) => this.#uncovered.paths.add(plan.textOf(number), requests));
    uncoveredMethods.take((number, requests) => this.#uncovered.methods.add(plan.textOf(number), requests));
    this.#numbered.forwarders.take((number, requests) => this.#forwarders.add(plan.textOf(number), requests));
  }

  addRejected(rejected: RejectedLine): void {
    this.#rejected[rejected.reason] = (this.#rejected[rejected.reason] ?? 0) + 1;
    if (this.#firstRejected.length < SHOWN_REJECTED) this.#firstRejected.push(rejected);
  }

  finish(): Survey {
    this.#addNumbered();
    const { bursts, isExact } = this.#bursts.result();
    const countries = [...this.#countries]
      .map(([country, { requests, clients }]) => ({ country, requests, clients: clients.result() }))
      .sort((a, b) => b.requests - a.requests || (a.country < b.country ? -1 : 1));
    const rejected = (Object.keys(this.#rejected) as RejectReason[]).map((reason) => ({
      reason,
      text: REJECT_REASONS[reason],
      lines: this.#rejected[reason]!,
    }));
    const hostNotice = describeHostless(this.#uncovered.requests, this.#requests);
    const survey = {
      requests: this.#requests,
      ...(this.#requests > 0 ? { fromUnixMs: this.#fromUnixMs, toUnixMs: this.#toUnixMs } : {}),
      clients: this.#clients.distinct.result(),
      hosts: this.#hosts.distinct.result(),
      paths: this.#paths.distinct.result(),
      busiestClients: this.#clients.busiest.top(SHOWN),
      busiestPaths: this.#paths.busiest.top(SHOWN),
      busiestHosts: this.#hosts.busiest.top(SHOWN),
      methods: this.#methods.top(SHOWN),
      statuses: this.#statuses.top(SHOWN),
      ...(this.countries ? { countries } : {}),
      bursts: bursts.slice(0, SHOWN_BURSTS),
      burstsAreExact: isExact,
      ...(hostNotice === undefined ? {} : { hostNotice }),
      proxySigns: this.#proxySigns(),
      numRejected: rejected.reduce((sum, { lines }) => sum + lines, 0),
      rejected,
      firstRejected: this.#firstRejected,
    };
    const refusedPath = this.#refusedPaths.top(1)[0]?.value;
    const hosts = this.#hosts.busiest.top(MAX_GATE_HOSTS).map(({ value }) => value);
    // Without a host in the log, the gate is named and covers all.
    const hasHosts = hosts.length > 0;
    const coversAll = hosts.length === survey.hosts.count && survey.hosts.isExact;
    const covered = (all: BusyValue, uncovered: BusyValue): BusyValue => ({
      value: all.value,
      requests: all.requests - (hasHosts ? uncovered.requests : 0),
      isExact: all.isExact && uncovered.isExact && (coversAll || !hasHosts),
    });
    const ofMethod = (method: string): BusyValue =>
      covered(this.#methods.countOf(method), this.#uncovered.methods.countOf(method));
    return {
      ...survey,
      starter: writeStarter({
        ...this.#proxyFacts(),
        hostNotice,
        hosts,
        requests: this.#requests,
        coveredRequests: this.#requests - (hasHosts ? this.#uncovered.requests : 0),
        clients: survey.clients,
        burst: bursts[0] && {
          ...bursts[0],
          covered: covered(
            this.#clients.busiest.countOf(bursts[0].client),
            this.#uncovered.clients.countOf(bursts[0].client),
          ),
        },
        countries: countries.map((eachCountry) => ({
          ...eachCountry,
          covered: covered(
            { value: eachCountry.country, requests: eachCountry.requests, isExact: true },
            this.#uncovered.countries.countOf(eachCountry.country),
          ),
        })),
        ofMethod,
        refusedPath:
          refusedPath === undefined
            ? undefined
            : covered(this.#paths.busiest.countOf(refusedPath), this.#uncovered.paths.countOf(refusedPath)),
      }),
    };
  }

  get #numForwarded(): number {
    return this.#forwarded['x-forwarded-for'] + this.#forwarded.forwarded;
  }

  /** The header that names the client, if any, with the addresses that send it most. */
  #proxyFacts(): { readonly proxy?: ProxyFacts; readonly looksLikeProxy: boolean } {
    const looksLikeProxy = this.#proxySigns().length > 0;
    const addresses = this.#forwarders.top(MAX_TRUSTED).map(({ value }) => value);
    if (this.#numForwarded === 0 || addresses.length === 0) return { looksLikeProxy };
    const { 'x-forwarded-for': numX, forwarded } = this.#forwarded;
    return { looksLikeProxy, proxy: { header: numX >= forwarded ? 'x-forwarded-for' : 'forwarded', addresses } };
  }

  #proxySigns(): string[] {
    const signs: string[] = [];
    const few: BusyValue[] = [];
    for (const client of this.#clients.busiest.top(PROXY_ADDRESSES)) {
      few.push(client);
      const share = few.reduce((sum, { requests }) => sum + requests, 0) / this.#requests;
      if (share < PROXY_SHARE || this.#clients.distinct.result().count <= PROXY_ADDRESSES) continue;
      signs.push(
        `${few.map(({ value }) => value).join(', ')} ${few.length === 1 ? 'makes' : 'make'} ${Math.round(share * 100)}% of all requests`,
      );
      break;
    }
    const numForwarded = this.#numForwarded;
    if (numForwarded > 0)
      signs.push(
        `${numForwarded.toLocaleString('en')} requests carry a header that names another client (X-Forwarded-For or Forwarded)`,
      );
    return signs;
  }
}

function addTo(
  { busiest, distinct }: { busiest: HeavyHitters; distinct: CardinalityEstimator },
  value: string,
  requests: number,
): void {
  busiest.add(value, requests);
  distinct.add(value);
}
