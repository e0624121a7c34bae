import type { Rulebook } from '@jadefence/core/check';
import type { Masker } from '@jadefence/core/masking';
import type { DecidedRecord } from '@jadefence/core/replay';
import { parseAddress } from '@jadefence/core/request';
import { suggestNearest } from '@jadefence/core/text';
import { EXIT, Failure } from '../cli-error.js';
import { countOf } from '../render/text.js';
import type { PrintRecord } from './judge-log.js';

const SHOWN = 10;

/** Looks at each decision for protected clients that are stopped. */
export class ProtectedWatch {
  readonly #lists: readonly (readonly [name: string, members: Members])[];
  readonly #stops = new Map<string, { requests: number; shown: string[] }>();

  /** @throws Failure where a name is not that of a list of addresses */
  constructor(
    { lists }: Rulebook,
    names: readonly string[],
    /** Of what is shown. */
    private readonly masker?: Masker,
  ) {
    const known = [...lists].filter(([, { kind }]) => kind === 'addresses').map(([name]) => name);
    this.#lists = names.map((name) => {
      const list = lists.get(name);
      if (list?.kind === 'addresses') return [name, list.members];
      throw new Failure(
        `There is no list of addresses "${name}".`,
        EXIT.wrongInput,
        suggestNearest(name, known) ?? `The lists are: ${known.join(', ')}.`,
      );
    });
  }

  /** Prints as before, and takes note of what is stopped. */
  around(print: PrintRecord | undefined): PrintRecord {
    return (record) => {
      if (record['jade.stopped'] === true) this.#note(record);
      return print ? print(record) : '';
    };
  }

  #note(record: DecidedRecord): void {
    const client = record['jade.client'];
    const address = typeof client === 'string' ? parseAddress(client) : undefined;
    if (!address) return;
    for (const [name, members] of this.#lists) {
      if (!members.find(address)) continue;
      const stop = this.#stops.get(name) ?? { requests: 0, shown: [] };
      this.#stops.set(name, stop);
      stop.requests += 1;
      if (stop.shown.length < SHOWN) stop.shown.push(describe(this.masker?.attributes(record) ?? record));
    }
  }

  /** @throws Failure with exit 1 where a protected client was stopped */
  refuseStops(): void {
    if (this.#stops.size === 0) return;
    const lines = [...this.#stops].flatMap(([name, { requests, shown }]) => [
      `${countOf(requests, 'request')} of protected clients (list ${name}) would be stopped:`,
      ...shown.map((line) => `  ${line}`),
      ...(requests > shown.length ? [`  and ${(requests - shown.length).toLocaleString('en')} more`] : []),
    ]);
    throw new Failure(lines.join('\n'), EXIT.checkFailed);
  }
}

type Members = NonNullable<ReturnType<Rulebook['lists']['get']>>['members'];

function describe(record: DecidedRecord): string {
  const text = (name: string): string => {
    const value = record[name];
    return value == null ? '-' : Array.isArray(value) ? value.join() : String(value as string | number);
  };
  const by =
    record['jade.rule'] === undefined
      ? `${text('jade.fence')} otherwise`
      : `${text('jade.fence')}/${text('jade.rule')}`;
  return `line ${text('jade.line')}  ${text('jade.client')}  ${text('http.request.method')} ${text('http.request.header.host')}${text('url.path')}  ${text('jade.outcome')} by ${by}`;
}
