/** Rules that stop some chosen requests of a log and spare others: conjunctions of up to three comparisons. */
import type { ChunkRows } from '../columns/chunk.js';
import type { Ruling } from '../decide/decision.js';
import type { EvaluationContext } from '../decide/interpreter.js';
import { formatRange, parseNetwork } from '../request/address.js';
import { NOT_JUDGED } from '../replay/replay-chunk.js';
import { RequestValues, type ValueField } from './request-values.js';
import { quoted } from './words.js';

/** What a row is for: to be stopped, to be spared, or neither. */
export const OTHER = 0;
export const CHOSEN = 1;
export const SPARED = 2;

/** Of more rows every second is taken, then every fourth, and so on; what is proposed is counted exactly afterwards. */
const MAX_ROWS = 200_000;
/** Of a kind of comparison so many values are tried by themselves, and so many at most together. */
const TRIED_VALUES = 6;
const TOGETHER = 12;
/** How many comparisons are combined, and how many pairs are extended by a third. */
const COMBINED = 40;
const EXTENDED = 30;
const SHOWN = 5;
/** Least share of the chosen that a comparison has to cover. */
const LEAST = 0.3;
/** What is stopped besides weighs so much more than what is not stopped. */
const COLLATERAL_WEIGHT = 20;

/** A rule that could be written, by what was counted over a sample. */
export interface Proposal {
  /** As in a rule. */
  readonly condition: string;
  readonly comparisons: number;
}

interface Kind {
  readonly field: ValueField;
  /** The value of the comparison that a value of the field satisfies. */
  readonly valueOf: (text: string) => string | undefined;
  readonly write: (values: readonly string[]) => string;
}

const inList = (field: string, values: readonly string[]): string =>
  `${field} ${values.length === 1 ? '=' : 'in'} ${values.join(', ')}`;

/** Exactly these: those below them are others. */
function writeHosts(values: readonly string[]): string {
  return values.length === 1 ? `host = ${values[0]}` : `host in ${values.map((value) => `=${value}`).join(', ')}`;
}

const KINDS: readonly Kind[] = [
  { field: 'client', valueOf: (text) => text, write: (values) => inList('client', values) },
  { field: 'client', valueOf: (text) => networkOf(text, 24, 48), write: (values) => `client in ${values.join(', ')}` },
  { field: 'client', valueOf: (text) => networkOf(text, 16, 32), write: (values) => `client in ${values.join(', ')}` },
  {
    field: 'country',
    valueOf: (text) => (/^[A-Z]{2}$/.test(text) ? text : undefined),
    write: (values) => inList('country', values),
  },
  { field: 'host', valueOf: (text) => text, write: writeHosts },
  { field: 'path', valueOf: (text) => quoted(text), write: (values) => inList('path', values) },
  { field: 'path', valueOf: (text) => segmentsOf(text, 1), write: (values) => `path under ${values.join(', ')}` },
  { field: 'path', valueOf: (text) => segmentsOf(text, 2), write: (values) => `path under ${values.join(', ')}` },
  {
    field: 'method',
    valueOf: (text) => (/^[A-Z]+$/.test(text) ? text : undefined),
    write: (values) => inList('method', values),
  },
  { field: 'agent', valueOf: (text) => JSON.stringify(text), write: (values) => inList('agent', values) },
  {
    field: 'agent',
    valueOf: (text) => (/^[\w.-]{3,}\//.test(text) ? JSON.stringify(text.slice(0, text.indexOf('/') + 1)) : undefined),
    write: (values) => `agent contains ${values.join(', ')}`,
  },
];
const FIELDS = [...new Set(KINDS.map(({ field }) => field))];

function networkOf(client: string, bits4: number, bits6: number): string | undefined {
  const network = parseNetwork(`${client}/${client.includes(':') ? bits6 : bits4}`);
  return network && formatRange(network);
}

function segmentsOf(path: string, count: number): string | undefined {
  const segments = path.split('/').slice(1);
  if (segments.length < count || segments[count - 1] === '') return undefined;
  return quoted(`/${segments.slice(0, count).join('/')}`);
}

interface Atom {
  readonly kind: Kind;
  readonly text: string;
  readonly numValues: number;
  readonly chosen: Uint32Array;
  readonly spared: Uint32Array;
  readonly numChosen: number;
}

interface Candidate {
  readonly atoms: readonly Atom[];
  readonly chosen: Uint32Array;
  readonly spared: Uint32Array;
  readonly numChosen: number;
  readonly numSpared: number;
  readonly score: number;
}

/** Rows of one purpose: by field, the numbers of their values. */
class Sample {
  readonly columns: Int32Array[] = FIELDS.map(() => new Int32Array(MAX_ROWS));
  size = 0;
  #stride = 1;
  #skip = 0;

  /** @returns where the row is to be written; -1 where it is left out */
  next(): number {
    if (this.#skip > 0) {
      this.#skip -= 1;
      return -1;
    }
    if (this.size === MAX_ROWS) {
      for (const column of this.columns) for (let at = 0; at < MAX_ROWS / 2; at += 1) column[at] = column[at * 2]!;
      this.size = MAX_ROWS / 2;
      this.#stride *= 2;
    }
    this.#skip = this.#stride - 1;
    this.size += 1;
    return this.size - 1;
  }
}

/** Takes the rows of a log, and proposes. */
export class RuleSearch {
  readonly #values: RequestValues;
  readonly #chosen = new Sample();
  readonly #spared = new Sample();

  constructor(context: EvaluationContext) {
    this.#values = new RequestValues(context, FIELDS);
  }

  /** The attributes that it reads. */
  get attributes(): string[] {
    return this.#values.attributes;
  }

  /** @param purposes of the rows of the chunk: `CHOSEN`, `SPARED` or `OTHER` */
  add(rows: ChunkRows, codes: Uint32Array, rulings: readonly Ruling[], purposes: Uint8Array): void {
    const reader = this.#values.open(rows);
    for (let row = 0; row < codes.length; row += 1) {
      const code = codes[row]!;
      const purpose = purposes[row]!;
      if (code === NOT_JUDGED || purpose === OTHER) continue;
      const sample = purpose === CHOSEN ? this.#chosen : this.#spared;
      const at = sample.next();
      if (at < 0) continue;
      reader.row = row;
      const gate = this.#values.gateNumber(rulings[code]!.gate);
      FIELDS.forEach((field, index) => {
        sample.columns[index]![at] = this.#values.numberOf(field, reader, gate);
      });
    }
  }

  /** The best first; none where nothing was chosen. */
  propose(): readonly Proposal[] {
    if (this.#chosen.size === 0) return [];
    const atoms = KINDS.flatMap((kind) => this.#atomsOf(kind))
      .sort((a, b) => b.numChosen - a.numChosen || (a.text < b.text ? -1 : 1))
      .slice(0, COMBINED);
    const singles = atoms.map((atom) => this.#candidate([atom], atom.chosen, atom.spared));
    const pairs = this.#extend(singles, atoms);
    const triples = this.#extend(byScore(pairs).slice(0, EXTENDED), atoms);
    const found: Candidate[] = [];
    for (const one of byScore([...singles, ...pairs, ...triples])) {
      // From here on more is stopped besides than is worth it.
      if (found.length === SHOWN || one.score <= 0) break;
      // What has a comparison more and stops the same is no other proposal.
      const isSame = found.some(
        (other) =>
          other.numChosen === one.numChosen &&
          other.numSpared === one.numSpared &&
          other.atoms.every((atom) => one.atoms.includes(atom)),
      );
      if (!isSame) found.push(one);
    }
    return found.map(({ atoms: all }) => ({
      condition: [...all]
        .sort(byPlace)
        .map(({ text }) => text)
        .join(' and '),
      comparisons: all.length,
    }));
  }

  #extend(some: readonly Candidate[], atoms: readonly Atom[]): Candidate[] {
    const seen = new Set<string>();
    return some.flatMap((one) =>
      atoms.flatMap((atom) => {
        if (one.atoms.some(({ kind }) => kind.field === atom.kind.field)) return [];
        const all = [...one.atoms, atom];
        const key = all
          .map(({ text }) => text)
          .sort()
          .join('\n');
        if (seen.has(key)) return [];
        seen.add(key);
        const next = this.#candidate(all, intersect(one.chosen, atom.chosen), intersect(one.spared, atom.spared));
        // A comparison that spares no one more is of no use.
        return next.numSpared < one.numSpared ? [next] : [];
      }),
    );
  }

  #candidate(atoms: readonly Atom[], chosen: Uint32Array, spared: Uint32Array): Candidate {
    const numChosen = countBits(chosen);
    const numSpared = countBits(spared);
    const score =
      numChosen / this.#chosen.size -
      (COLLATERAL_WEIGHT * numSpared) / Math.max(1, this.#spared.size) -
      0.01 * atoms.length -
      0.002 * atoms.reduce((sum, { numValues }) => sum + numValues, 0);
    return { atoms, chosen, spared, numChosen, numSpared, score };
  }

  /** Comparisons of a kind: with the most frequent values of the chosen, one at a time, and several together. */
  #atomsOf(kind: Kind): Atom[] {
    const column = FIELDS.indexOf(kind.field);
    const ids = new Map<string, number>();
    const idOfNumber: number[] = [];
    const idOf = (number: number): number => {
      if (number < 0) return -1;
      let id = idOfNumber[number];
      if (id === undefined) {
        const text = this.#values.textOf(kind.field, number);
        const value = text == null || text === '' ? undefined : kind.valueOf(text);
        if (value === undefined) id = -1;
        else ids.set(value, (id = ids.get(value) ?? ids.size));
        idOfNumber[number] = id;
      }
      return id;
    };
    const columnOf = (sample: Sample): Int32Array => sample.columns[column]!.subarray(0, sample.size).map(idOf);
    const [chosen, spared] = [columnOf(this.#chosen), columnOf(this.#spared)];
    const [inChosen, inSpared] = [countIds(chosen, ids.size), countIds(spared, ids.size)];
    const texts = [...ids.keys()];
    const total = chosen.length;
    const order = texts
      .map((_, id) => id)
      .filter((id) => inChosen[id]! > 0)
      .sort((a, b) => inChosen[b]! - inChosen[a]! || (texts[a]! < texts[b]! ? -1 : 1));
    const sets = order
      .slice(0, TRIED_VALUES)
      .filter((id) => inChosen[id]! >= total * LEAST)
      .map((id) => [id]);
    // Of values that are more frequent among the chosen than among the spared, as many as are needed.
    const typical = order.filter((id) => inChosen[id]! / total > inSpared[id]! / Math.max(1, spared.length));
    const together: number[] = [];
    let covered = 0;
    for (const id of typical.slice(0, TOGETHER)) {
      together.push(id);
      covered += inChosen[id]!;
      if (covered >= total * 0.97) break;
    }
    if (together.length > 1 && covered >= total * LEAST) sets.push(together);
    return sets.map((set) => {
      const bitsOf = (all: Int32Array): Uint32Array => bitsWhere(all, new Set(set));
      const bits = bitsOf(chosen);
      return {
        kind,
        text: kind.write(set.map((id) => texts[id]!).sort()),
        numValues: set.length,
        chosen: bits,
        spared: bitsOf(spared),
        numChosen: countBits(bits),
      };
    });
  }
}

function byScore(candidates: readonly Candidate[]): Candidate[] {
  const textOf = ({ atoms }: Candidate): string => atoms.map(({ text }) => text).join(' and ');
  return [...candidates].sort((a, b) => b.score - a.score || (textOf(a) < textOf(b) ? -1 : 1));
}

function byPlace(a: Atom, b: Atom): number {
  return KINDS.indexOf(a.kind) - KINDS.indexOf(b.kind);
}

function countIds(ids: Int32Array, size: number): Int32Array {
  const counts = new Int32Array(size);
  for (const id of ids) if (id >= 0) counts[id]! += 1;
  return counts;
}

function bitsWhere(ids: Int32Array, wanted: ReadonlySet<number>): Uint32Array {
  const bits = new Uint32Array((ids.length + 31) >>> 5);
  for (let at = 0; at < ids.length; at += 1) if (wanted.has(ids[at]!)) bits[at >>> 5]! |= 1 << (at & 31);
  return bits;
}

function intersect(a: Uint32Array, b: Uint32Array): Uint32Array {
  return a.map((word, at) => word & b[at]!);
}

function countBits(bits: Uint32Array): number {
  let sum = 0;
  for (let word of bits) {
    word -= (word >>> 1) & 0x5555_5555;
    word = (word & 0x3333_3333) + ((word >>> 2) & 0x3333_3333);
    sum += Math.imul((word + (word >>> 4)) & 0x0f0f_0f0f, 0x0101_0101) >>> 24;
  }
  return sum;
}
