/** The keys of stateful rules, as numbers of texts. */
import type { Field } from '../../request/field.js';
import { FAMILY_BITS, formatAddress, formatIpv4, type Address } from '../../request/address.js';
import { usersOf } from '../../request/fields.js';
import { resolveClient } from '../../decide/view.js';
import type { LimitKey, ThrottleAction } from '../../language/tree.js';
import { ABSENT, PairMap } from '../../arrays/pair-map.js';
import type { AttributeReader } from './attribute-reader.js';
import { clientFeature, clientInputs, feature, featureOf, type Feature, type GateView } from './features.js';

/** Nothing is counted under an unknown key. */
export const UNKNOWN_KEY = -1;

/**
 * Texts with a number each, as they are first seen: the same text is the same key for every reader. An address of IPv4
 * is handed over as a number, of which a text is made where it is needed.
 */
export class KeyInterner {
  #numbers = new Map<string, number>();
  #texts: (string | number)[] = [];
  #addresses = new PairMap();

  get size(): number {
    return this.#texts.length;
  }

  /** The texts by their numbers: a new list after they were cleared; earlier numbers keep the old one. */
  get list(): KeyList {
    return this.#texts;
  }

  /** @param key the text, or the bits of an IPv4 address that is the key as a whole; a feature reads one of the two kinds only */
  numberOf(key: string | number): number {
    if (typeof key === 'number') return this.#numberOfAddress(key | 0);
    let number = this.#numbers.get(key);
    if (number === undefined) {
      number = this.#texts.push(key) - 1;
      this.#numbers.set(key, number);
    }
    return number;
  }

  #numberOfAddress(bits: number): number {
    const known = this.#addresses.get(bits, 0);
    if (known !== ABSENT) return known;
    const number = this.#texts.push(bits) - 1;
    this.#addresses.add(bits, 0, number);
    return number;
  }

  textOf(number: number): string {
    return keyText(this.#texts, number);
  }

  clear(): void {
    this.#numbers = new Map();
    this.#texts = [];
    this.#addresses = new PairMap();
  }
}

/** Texts of keys by their numbers; an IPv4 address is a number, of which a text is made where it is needed. */
export type KeyList = readonly (string | number)[];

export function keyText(list: KeyList, number: number): string {
  const key = list[number]!;
  return typeof key === 'string' ? key : `"${formatIpv4(key)}"`;
}

/** What a key is: a part of a JSON array, the bits of an IPv4 address, or unknown. */
export type KeyPart = string | number | undefined;

/** The number of a key. */
export class KeyFeature implements Feature<number> {
  readonly key: string;
  readonly inputs: readonly string[];

  constructor(
    private readonly part: Feature<KeyPart>,
    private readonly texts: KeyInterner,
  ) {
    this.key = `key ${part.key}`;
    this.inputs = part.inputs;
  }

  read(reading: AttributeReader): number {
    const part = this.part.read(reading);
    return part === undefined ? UNKNOWN_KEY : this.texts.numberOf(part);
  }
}

/** One key of a limit. */
export function limitKey(key: LimitKey, view: GateView): Feature<KeyPart> {
  if (key.kind === 'client') {
    const client = clientFeature(view.gate);
    const mask = key.bits4 === 0 ? 0 : -1 << (FAMILY_BITS[4] - key.bits4);
    return feature(`${client.key} /${key.bits4} /${key.bits6}`, client.inputs, (reading) => {
      const address = client.read(reading);
      return address?.family === 4
        ? address.word3 & mask
        : toJson(address && formatAddress(address.keepBits(key.bits4, key.bits6)));
    });
  }
  const read = featureOf(key.field, key.parameter, view);
  return read
    ? feature(read.key, read.inputs, (reading) => toJson(read.read(reading)))
    : feature('unknown', [], () => undefined);
}

/** The bytes to or from the client, as digits; none are none. */
export function bytesKey(direction: ThrottleAction['direction'], view: GateView): Feature<KeyPart> {
  const read = featureOf(direction === 'down' ? 'to-client' : 'from-client', undefined, view)!;
  return feature(`bytes ${read.key}`, read.inputs, (reading) => {
    const bytes = read.read(reading);
    return bytes === undefined ? undefined : String((bytes as number | null) ?? 0);
  });
}

/** Who a person is: the user, or else the client. */
export function personKey({ gate }: GateView): Feature<string | undefined> {
  return feature(`person by ${gate.statement.name}`, ['user.name', ...clientInputs(gate)], ({ request }) => {
    const user = usersOf(request);
    const who = user ?? describeClient(resolveClient(gate, request).client);
    return who === undefined ? undefined : `"${user ? 'user' : 'client'}",${JSON.stringify(who)}`;
  });
}

function toJson(value: unknown): string | undefined {
  return value === undefined ? undefined : JSON.stringify(value);
}

/** What distinguishes clients as people: the address, or of IPv6 its network of 64 bits. */
function describeClient(client: Field<Address>): Field<string> {
  return client && formatAddress(client.keepBits(32, 64));
}
