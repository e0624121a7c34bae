/** Networks of any length that hold chosen clients and hardly any others. */
import {
  Address,
  FAMILY_BITS,
  formatAddress,
  parseAddress,
  parseNetwork,
  type AddressRange,
  type Family,
} from '../request/address.js';

/** A client with its number of requests, chosen and spared. */
export interface ClientCounts {
  readonly text: string;
  readonly chosen: number;
  readonly spared: number;
}

/** A network as it is written, with what it holds. */
export interface CoveringNetwork {
  readonly text: string;
  readonly chosen: number;
  readonly spared: number;
}

/** Shorter ones hold much of the world. */
const SHORTEST: Readonly<Record<Family, number>> = { 4: 8, 6: 16 };
/** A network with so small a part of the spared, by its part of the chosen, is not split. */
const HARDLY = 0.001;

interface Client {
  readonly value: bigint;
  readonly chosen: number;
  readonly spared: number;
}

/**
 * The tightest network around some clients, where it holds hardly anything else; else those of its halves.
 * @param clients each once
 * @returns those with most of the chosen first
 */
export function coveringNetworks(clients: readonly ClientCounts[]): readonly CoveringNetwork[] {
  const all = { chosen: 0, spared: 0 };
  const byFamily: Record<Family, Client[]> = { 4: [], 6: [] };
  for (const { text, chosen, spared } of clients) {
    all.chosen += chosen;
    all.spared += spared;
    const address = parseAddress(text);
    if (address) byFamily[address.family].push({ value: address.value, chosen, spared });
  }
  const found: CoveringNetwork[] = [];
  for (const family of [4, 6] as const) {
    const sorted = byFamily[family].sort((a, b) => (a.value < b.value ? -1 : 1));
    const cover = (start: number, end: number): void => {
      let [from, to] = [start, end];
      while (from < to && sorted[from]!.chosen === 0) from += 1;
      while (to > from && sorted[to - 1]!.chosen === 0) to -= 1;
      if (from === to) return;
      const bits = commonBits(family, sorted[from]!.value, sorted[to - 1]!.value);
      const first = cutTo(family, sorted[from]!.value, bits);
      // Clients before and after those that are chosen may lie in it, too.
      const isHeld = ({ value }: Client): boolean => cutTo(family, value, bits) === first;
      const held = sumOf(sorted.slice(start, end).filter(isHeld));
      const isPlain = held.spared / Math.max(1, all.spared) <= (HARDLY * held.chosen) / Math.max(1, all.chosen);
      if (to - from === 1 || (isPlain && bits >= SHORTEST[family])) {
        const network = formatAddress(Address.ofValue(family, first));
        found.push({ text: bits === FAMILY_BITS[family] ? network : `${network}/${bits}`, ...held });
        return;
      }
      // The first bit in which they differ halves them.
      const second = cutTo(family, sorted[to - 1]!.value, bits + 1);
      let middle = from;
      while (sorted[middle]!.value < second) middle += 1;
      cover(start, middle);
      cover(middle, end);
    };
    cover(0, sorted.length);
  }
  return found.sort((a, b) => b.chosen - a.chosen || (a.text < b.text ? -1 : 1));
}

/** Whether an address, as text, lies in one of some networks. */
export function holdingAny(networks: readonly string[]): (text: string) => boolean {
  const ranges = networks.map((text) => (text.includes('/') ? parseNetwork(text)! : singleOf(text)));
  return (text) => {
    const address = parseAddress(text);
    if (!address) return false;
    const { family, value } = address;
    return ranges.some((range) => range.family === family && range.first <= value && value <= range.last);
  };
}

function singleOf(text: string): AddressRange {
  const { family, value } = parseAddress(text)!;
  return { family, first: value, last: value };
}

function sumOf(clients: readonly Client[]): { chosen: number; spared: number } {
  const sum = { chosen: 0, spared: 0 };
  for (const { chosen, spared } of clients) {
    sum.chosen += chosen;
    sum.spared += spared;
  }
  return sum;
}

/** How many of the first bits two addresses share. */
function commonBits(family: Family, first: bigint, last: bigint): number {
  return FAMILY_BITS[family] - (first ^ last).toString(2).replace(/^0$/, '').length;
}

function cutTo(family: Family, value: bigint, bits: number): bigint {
  const rest = BigInt(FAMILY_BITS[family] - bits);
  return (value >> rest) << rest;
}
