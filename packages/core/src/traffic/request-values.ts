/** What is known of decided requests, read once for each distinct value. */
import type { ChunkRows } from '../columns/chunk.js';
import { NO_GATE } from '../decide/gate.js';
import type { EvaluationContext } from '../decide/interpreter.js';
import { feature, featureOf, type Feature, type GateView } from '../match/features/features.js';
import { KeyFeature, KeyInterner, limitKey, UNKNOWN_KEY, type KeyPart } from '../match/features/keys.js';
import { Plan } from '../match/rows/plan.js';
import { ChunkReader } from '../match/rows/row-readers.js';
import { headerOf, queryNamesOf, requestFieldOf } from '../request/fields.js';

const HEADER = 'header ';

/** As rules have them. */
export const VALUE_FIELDS = ['client', 'country', 'host', 'path', 'method', 'agent', 'user'] as const;
/** `query names` are the names of all parameters; of a header it is `present` or `absent`. */
export type ValueField = (typeof VALUE_FIELDS)[number] | 'query names' | `header ${string}`;

/** Numbers and texts of some fields, the client by the gate that judged. Texts are kept as long as this is. */
export class RequestValues extends Plan {
  readonly #texts: ReadonlyMap<ValueField, KeyInterner>;
  /** By field, the slot at each gate, and at last for requests that none covers. */
  readonly #slots: ReadonlyMap<ValueField, readonly number[]>;
  readonly #numberOfGate: ReadonlyMap<string | undefined, number>;

  constructor(context: EvaluationContext, fields: readonly ValueField[]) {
    super();
    const gates = [...context.rulebook.gates, NO_GATE];
    this.#numberOfGate = new Map(
      gates.map((gate, index) => [gate === NO_GATE ? undefined : gate.statement.name, index]),
    );
    this.#texts = new Map(fields.map((field) => [field, new KeyInterner()]));
    this.#slots = new Map(
      fields.map((field) => [
        field,
        gates.map((gate) =>
          this.slotFor(
            new KeyFeature(partOf(field, { gate, isHidden: false, referenceData: context }), this.#texts.get(field)!),
          ),
        ),
      ]),
    );
    this.seal();
  }

  open(rows: ChunkRows): ChunkReader {
    return new ChunkReader(this, rows);
  }

  /** @param gate that judged requests; undefined where none covers them */
  gateNumber(gate: string | undefined): number {
    return this.#numberOfGate.get(gate)!;
  }

  /** @returns the number of the value that the row of the reader has; negative where it is unknown */
  numberOf(field: ValueField, reader: ChunkReader, gate: number): number {
    return reader.numberOf(this.#slots.get(field)![gate]!);
  }

  /** @returns null for none, undefined for unknown; several values joined with commas */
  textOf(field: ValueField, number: number): string | null | undefined {
    if (number === UNKNOWN_KEY) return undefined;
    const value = this.#valueOf(field, number);
    return typeof value === 'object' ? (value?.join(', ') ?? null) : value;
  }

  /** One by one; none where there is none, or it is unknown. */
  valuesOf(field: ValueField, number: number): readonly string[] {
    const value = number < 0 ? null : this.#valueOf(field, number);
    return typeof value === 'object' ? (value ?? []) : [value];
  }

  #valueOf(field: ValueField, number: number): string | readonly string[] | null {
    return JSON.parse(this.#texts.get(field)!.textOf(number)) as string | readonly string[] | null;
  }
}

function partOf(field: ValueField, view: GateView): Feature<KeyPart> {
  if (field === 'client') return limitKey({ kind: 'client', bits4: 32, bits6: 128 }, view);
  if (field === 'query names' || isHeader(field)) return namesFeature(field);
  const read = featureOf(field, undefined, view)!;
  return feature(read.key, read.inputs, (reading) => {
    const value = read.read(reading);
    return value === undefined ? undefined : JSON.stringify(value);
  });
}

function isHeader(field: ValueField): field is `header ${string}` {
  return field.startsWith(HEADER);
}

function namesFeature(field: 'query names' | `header ${string}`): Feature<KeyPart> {
  if (field === 'query names')
    return feature(field, requestFieldOf('query')!.inputs(undefined), ({ request }) => {
      const names = queryNamesOf(request);
      return names === undefined ? undefined : JSON.stringify(names);
    });
  const name = field.slice(HEADER.length);
  return feature(`presence of ${field}`, requestFieldOf('header')!.inputs(name), ({ request }) => {
    const value = headerOf(request, name);
    return value === undefined ? undefined : JSON.stringify(value === null ? 'absent' : 'present');
  });
}
