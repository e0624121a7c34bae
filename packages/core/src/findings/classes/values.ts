/** Values of an axis, at least one of each class that its comparisons distinguish. */
import { isListName, listNamed, type ResolvedList } from '../../check/members.js';
import type { Value } from '../../language/tree.js';
import type { Atom } from './recording-partitions.js';

export type Lists = ReadonlyMap<string, ResolvedList>;

/** The literals of comparisons, with the entries and the exceptions of their lists. */
export interface Literals {
  readonly values: readonly Value[];
  /** Some list is a dataset, which is not gone through. */
  readonly hasDataset: boolean;
}

export function literalsOf(atoms: readonly Pick<Atom, 'comparison'>[], lists: Lists): Literals {
  return valuesIn(
    atoms.flatMap(({ comparison }) => comparison.values),
    lists,
  );
}

/** Literals, with the entries and the exceptions of the lists that are among them. */
export function valuesIn(written: readonly Value[], lists: Lists): Literals {
  const values: Value[] = [];
  const seen = new Set<string>();
  let hasDataset = false;
  const collect = (some: readonly Value[]): void => {
    for (const value of some) {
      if (!isListName(value, lists)) {
        values.push(value);
        continue;
      }
      if (seen.has(value.name)) continue;
      seen.add(value.name);
      const { source, numEntries } = listNamed(lists, value.name);
      if (source.entries.length === 0 && numEntries > 0) hasDataset = true;
      collect(source.entries);
      collect(source.exceptions);
    }
  };
  collect(written);
  return { values, hasDataset };
}

/** The numbers at which a comparison changes. */
export function boundaryNumbers(values: readonly Value[]): number[] {
  const found = new Set([0]);
  for (const value of values)
    if (value.kind === 'number')
      for (const number of [value.first - 1, value.first, value.first + 1, value.last, value.last + 1])
        if (number >= 0 && Number.isSafeInteger(number)) found.add(number);
  return [...found];
}

/** A label that no name of a rule has in front. */
export const OTHER_LABEL = 'other-host';

/** Hosts: each name, one below it, one of no name, an address. */
export function hostsOf(values: readonly Value[]): string[] {
  const names = new Set<string>();
  for (const value of values) {
    if (value.kind === 'domain') names.add(value.entry.name);
    if (value.kind === 'url') names.add(value.host);
    if (value.kind === 'text' && /^[a-z0-9_.-]+$/.test(value.text)) names.add(value.text);
  }
  return [
    `${OTHER_LABEL}.example`,
    'example',
    '192.0.2.200',
    ...[...names].flatMap((name) => (/^[\d.]+$|:/.test(name) ? [name] : [name, `${OTHER_LABEL}.${name}`])),
  ];
}

export function pathsOf(values: readonly Value[]): string[] {
  const found = new Set(['/', '/other-path']);
  for (const value of values) {
    const text = value.kind === 'url' ? value.path : value.kind === 'text' ? value.text : undefined;
    if (text?.startsWith('/') !== true) continue;
    found.add(text);
    found.add(`${text.replace(/\/$/, '')}/below`);
    found.add(`${text}x`);
  }
  return [...found];
}

/** Texts: each literal, with other letters for those that ignore case, and longer by a letter. */
export function textsOf(atoms: readonly Atom[], other: string): string[] {
  const found = new Set([other]);
  for (const { comparison } of atoms)
    for (const value of comparison.values) {
      if (value.kind !== 'text' && value.kind !== 'word') continue;
      const text = value.kind === 'text' ? value.text : value.name;
      found.add(text);
      if (comparison.operator === 'starts') found.add(`${text}x`);
      if (comparison.isAnyCase) found.add(text.toLowerCase()).add(text.toUpperCase()).add(swapFirst(text));
    }
  found.delete('');
  return [...found];
}

function swapFirst(text: string): string {
  const first = text.charAt(0);
  return `${first === first.toLowerCase() ? first.toUpperCase() : first.toLowerCase()}${text.slice(1)}`;
}

/** First bytes of each protocol, as hexadecimal digits. */
export const SAMPLE_PAYLOADS: readonly string[] = [
  // TLS: a ClientHello without a name.
  `16030100310100002d0303${'00'.repeat(32)}0000021301010000020000`,
  // DNS: a query for a.example; over TCP with its length in front.
  '1234010000010000000000000161076578616d706c650000010001',
  '001b1234010000010000000000000161076578616d706c650000010001',
  // HTTP/1.1 and HTTP/2
  '474554202f20485454502f312e310d0a0d0a',
  '505249202a20485454502f322e300d0a0d0a534d0d0a0d0a',
  // SSH, SMTP, IMAP, POP3, FTP, SIP
  '5353482d322e302d780d0a',
  '45484c4f20612e6578616d706c650d0a',
  '6131204341504142494c4954590d0a',
  '434150410d0a',
  '5553455220780d0a',
  '4f5054494f4e53207369703a61205349502f322e300d0a',
  // STUN, NTP, MQTT, QUIC
  '000100002112a442000102030405060708090a0b',
  `23${'00'.repeat(47)}`,
  '101000044d5154540402003c00046a616465',
  `c300000001088394c8f03e5157080000449e${'00'.repeat(1182)}`,
];
