/** What the requests of rules that remember are told apart by, as numbers that stand for texts. */
import type { Field } from '../request/field.js';
import { FAMILY_BITS, formatAddress, type Address } from '../request/address.js';
import { usersOf } from '../request/fields.js';
import { resolveClient } from '../decide/view.js';
import type { LimitKey } from '../language/tree.js';
import type { Reading } from './reading.js';
import { clientFeature, clientInputs, feature, featureOf, type Feature, type Lens } from './features.js';

/** Nothing is counted under an unknown key. */
export const UNKNOWN_KEY = -1;

/** Texts with a number each, as they are first seen: the same text is the same key, whoever reads it. */
export class KeyTexts {
  readonly #numbers = new Map<string, number>();
  #texts: string[] = [];

  get size(): number {
    return this.#texts.length;
  }

  numberOf(text: string): number {
    let number = this.#numbers.get(text);
    if (number === undefined) {
      number = this.#texts.push(text) - 1;
      this.#numbers.set(text, number);
    }
    return number;
  }

  textOf(number: number): string {
    return this.#texts[number]!;
  }

  forget(): void {
    this.#numbers.clear();
    this.#texts = [];
  }
}

/** The number of a key. */
export class KeyNumbers implements Feature<number> {
  readonly key: string;
  readonly inputs: readonly string[];

  /** @param text reads the key as a part of a JSON array, or undefined where it is unknown */
  constructor(
    private readonly text: Feature<string | undefined>,
    private readonly texts: KeyTexts,
  ) {
    this.key = `key ${text.key}`;
    this.inputs = text.inputs;
  }

  read(reading: Reading): number {
    const text = this.text.read(reading);
    return text === undefined ? UNKNOWN_KEY : this.texts.numberOf(text);
  }
}

/** One key of a limit. */
export function limitKey(key: LimitKey, lens: Lens): Feature<string | undefined> {
  if (key.kind === 'client') {
    const client = clientFeature(lens.gate);
    return feature(`${client.key} /${key.bits4} /${key.bits6}`, client.inputs, (reading) =>
      toJson(cutAddress(client.read(reading), key.bits4, key.bits6)),
    );
  }
  const read = featureOf(key.field, key.parameter, lens);
  return read
    ? feature(read.key, read.inputs, (reading) => toJson(read.read(reading)))
    : feature('unknown', [], () => undefined);
}

/** Who a person is: the user, or else the client. */
export function personKey({ gate }: Lens): Feature<string | undefined> {
  return feature(`person by ${gate.statement.name}`, ['user.name', ...clientInputs(gate)], ({ request }) => {
    const user = usersOf(request);
    const who = user ?? cutAddress(resolveClient(gate, request).client, 32, 64) ?? undefined;
    return who && `"${user ? 'user' : 'client'}",${JSON.stringify(who)}`;
  });
}

function toJson(value: unknown): string | undefined {
  return value === undefined ? undefined : JSON.stringify(value);
}

/** The first bits of an address, as text. */
function cutAddress(address: Field<Address>, bits4: number, bits6: number): Field<string> {
  if (!address) return address;
  const { family, value } = address;
  const dropped = BigInt(FAMILY_BITS[family] - (family === 4 ? bits4 : bits6));
  return formatAddress({ family, value: (value >> dropped) << dropped });
}
