/** Rules that stop some chosen requests of a log and spare others: conjunctions of up to three comparisons. */
import type { ChunkRows } from '../columns/chunk.js';
import type { Ruling } from '../decide/decision.js';
import type { EvaluationContext } from '../decide/interpreter.js';
import { NOT_JUDGED } from '../replay/replay-chunk.js';
import { RequestValues, type ValueField } from './request-values.js';
import { kindsFor, NETWORKS, OF_CLIENTS, type Kind } from './comparison-kinds.js';
import { coveringNetworks, holdingAny } from './covering-networks.js';
import { CHOSEN, OTHER } from './decided-log.js';

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
/** Of several values together no more are taken once they cover so many. */
const ENOUGH = 0.97;
/** What is wider than it has to be is worth less by such a part of a value. */
const WIDE = 0.2;
/** What is stopped besides weighs so much more than what is not stopped. */
const COLLATERAL_WEIGHT = 20;
/** Comparisons that hold of so many of the chosen at least are what a limit can count. */
const COUNTED = 0.8;

/** A rule that could be written, by what was counted over a sample. */
export interface Proposal {
  /** As in a rule: `block`, or `limit 10 per 1m by client`. */
  readonly action: string;
  /** As in a rule. */
  readonly condition: string;
  readonly comparisons: number;
}

/** A limit is worth as much less as so many comparisons: it also stops clients that come as often another day. */
export const LIMIT_WORTH = 3;

/** The better, the more of the chosen are stopped, the less besides, and the shorter it is. */
export function scoreOf(shareStopped: number, shareBesides: number, comparisons: number, values: number): number {
  return shareStopped - COLLATERAL_WEIGHT * shareBesides - 0.01 * comparisons - 0.002 * values;
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
  readonly columns: Int32Array[];
  size = 0;
  #stride = 1;
  #skip = 0;

  constructor(numFields: number) {
    this.columns = Array.from({ length: numFields }, () => new Int32Array(MAX_ROWS));
  }

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
  readonly #kinds: readonly Kind[];
  readonly #fields: readonly ValueField[];
  readonly #values: RequestValues;
  readonly #chosen: Sample;
  readonly #spared: Sample;
  #found: readonly Atom[] | undefined;

  /** @param headers names of those that the log has */
  constructor(context: EvaluationContext, headers: readonly string[] = []) {
    this.#kinds = kindsFor(headers);
    this.#fields = [...new Set(this.#kinds.map(({ field }) => field))];
    this.#values = new RequestValues(context, this.#fields);
    this.#chosen = new Sample(this.#fields.length);
    this.#spared = new Sample(this.#fields.length);
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
      this.#fields.forEach((field, index) => {
        sample.columns[index]![at] = this.#values.numberOf(field, reader, gate);
      });
    }
  }

  /** The best first; none where nothing was chosen. */
  propose(): readonly Proposal[] {
    if (this.#chosen.size === 0) return [];
    const atoms = this.#atoms;
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
      action: 'block',
      condition: [...all]
        .sort((a, b) => this.#kinds.indexOf(a.kind) - this.#kinds.indexOf(b.kind))
        .map(({ text }) => text)
        .join(' and '),
      comparisons: all.length,
    }));
  }

  /** What a limit could count: all requests, and the comparisons that hold of nearly all of the chosen and of few others. */
  countable(): readonly Pick<Proposal, 'condition' | 'comparisons'>[] {
    if (this.#chosen.size === 0) return [];
    const typical = this.#atoms
      .filter(({ kind, numChosen }) => !OF_CLIENTS.has(kind.field) && numChosen >= this.#chosen.size * COUNTED)
      .map((atom) => ({ atom, numSpared: countBits(atom.spared) }))
      .sort((a, b) => a.numSpared - b.numSpared || (a.atom.text < b.atom.text ? -1 : 1))
      .slice(0, 2);
    return [
      ...typical.map(({ atom: { text } }) => ({ condition: text, comparisons: 1 })),
      { condition: 'always', comparisons: 0 },
    ];
  }

  /** Comparisons that hold of many of the chosen. */
  get #atoms(): readonly Atom[] {
    if (this.#found) return this.#found;
    const byText = new Map<string, Atom>();
    for (const atom of [...this.#networkAtoms(), ...this.#kinds.flatMap((kind) => this.#atomsOf(kind))])
      if (!byText.has(atom.text)) byText.set(atom.text, atom);
    this.#found = [...byText.values()]
      .sort((a, b) => b.numChosen - a.numChosen || (a.text < b.text ? -1 : 1))
      .slice(0, COMBINED);
    return this.#found;
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
    const score = scoreOf(
      numChosen / this.#chosen.size,
      numSpared / Math.max(1, this.#spared.size),
      atoms.length,
      atoms.reduce((sum, { numValues }) => sum + numValues, 0),
    );
    return { atoms, chosen, spared, numChosen, numSpared, score };
  }

  /** With networks of any length: the one that holds most of the chosen, and as many as are needed. */
  #networkAtoms(): Atom[] {
    const column = this.#fields.indexOf('client');
    const [chosen, spared] = [this.#chosen, this.#spared].map(({ columns, size }) =>
      columns[column]!.subarray(0, size),
    );
    const [inChosen, inSpared] = [countNumbers(chosen!), countNumbers(spared!)];
    const numbers = new Set([...inChosen.keys(), ...inSpared.keys()]);
    const textOf = (number: number): string => this.#values.textOf('client', number) ?? '';
    const networks = coveringNetworks(
      [...numbers].map((number) => ({
        text: textOf(number),
        chosen: inChosen.get(number) ?? 0,
        spared: inSpared.get(number) ?? 0,
      })),
    );
    const total = chosen!.length;
    const needed = networks.slice(0, TOGETHER);
    for (let covered = 0, at = 0; at < needed.length; at += 1)
      if ((covered += needed[at]!.chosen) >= total * ENOUGH) needed.splice(at + 1);
    return [networks.slice(0, 1), needed].flatMap((set): Atom[] => {
      if (set.reduce((sum, one) => sum + one.chosen, 0) < total * LEAST) return [];
      const holds = holdingAny(set.map(({ text }) => text));
      const bitsOf = (all: Int32Array): Uint32Array => bitsWhere(all, (number) => holds(textOf(number)));
      const bits = bitsOf(chosen!);
      return [
        {
          kind: NETWORKS,
          text: NETWORKS.write(set.map(({ text }) => text)),
          numValues: set.length,
          chosen: bits,
          spared: bitsOf(spared!),
          numChosen: countBits(bits),
        },
      ];
    });
  }

  /** Comparisons of a kind: with the most frequent values of the chosen, one at a time, and several together. */
  #atomsOf(kind: Kind): Atom[] {
    const [chosen, spared] = [this.#chosen, this.#spared].map(({ columns, size }) =>
      columns[this.#fields.indexOf(kind.field)]!.subarray(0, size),
    ) as [Int32Array, Int32Array];
    const ids = new Map<string, number>();
    const idsOfNumber: (readonly number[])[] = [];
    const idsOf = (number: number): readonly number[] => {
      if (number < 0) return [];
      return (idsOfNumber[number] ??= [
        ...new Set(
          kind.valuesOf(this.#values.valuesOf(kind.field, number).filter((text) => text !== '')).flatMap((value) => {
            if (value === undefined) return [];
            if (!ids.has(value)) ids.set(value, ids.size);
            return [ids.get(value)!];
          }),
        ),
      ]);
    };
    const [inChosen, inSpared] = [countIds(chosen, idsOf), countIds(spared, idsOf)];
    const texts = [...ids.keys()];
    const total = chosen.length;
    const order = texts
      .map((_, id) => id)
      .filter((id) => (inChosen[id] ?? 0) > 0)
      .sort((a, b) => inChosen[b]! - inChosen[a]! || (texts[a]! < texts[b]! ? -1 : 1));
    // Of values that are more frequent among the chosen than among the spared, as many as are needed.
    const typical = order.filter((id) => inChosen[id]! / total > (inSpared[id] ?? 0) / Math.max(1, spared.length));
    const sets = (kind.isTypical ? typical : order)
      .slice(0, TRIED_VALUES)
      .filter((id) => inChosen[id]! >= total * LEAST)
      .map((id) => [id]);
    const together: number[] = [];
    let covered = 0;
    for (const id of kind.isTypical ? [] : typical.slice(0, TOGETHER)) {
      together.push(id);
      covered += inChosen[id]!;
      if (covered >= total * ENOUGH) break;
    }
    if (together.length > 1 && covered >= total * LEAST) sets.push(together);
    return sets.map((set) => {
      const wanted = new Set(set);
      const bitsOf = (all: Int32Array): Uint32Array =>
        bitsWhere(all, (number) => idsOf(number).some((id) => wanted.has(id)));
      const bits = bitsOf(chosen);
      return {
        kind,
        text: kind.write(set.map((id) => texts[id]!).sort()),
        numValues: set.length + (kind.isWide ? WIDE : 0),
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

/** By number of a value, how many rows have it; without holes for those that none has. */
function countNumbers(numbers: Int32Array): ReadonlyMap<number, number> {
  const counts = new Map<number, number>();
  for (const number of numbers) if (number >= 0) counts.set(number, (counts.get(number) ?? 0) + 1);
  return counts;
}

/** By id, how many rows have it. */
function countIds(numbers: Int32Array, idsOf: (number: number) => readonly number[]): number[] {
  const counts: number[] = [];
  countNumbers(numbers).forEach((count, number) => {
    for (const id of idsOf(number)) counts[id] = (counts[id] ?? 0) + count;
  });
  return counts;
}

function bitsWhere(numbers: Int32Array, isWanted: (number: number) => boolean): Uint32Array {
  const bits = new Uint32Array((numbers.length + 31) >>> 5);
  const known: boolean[] = [];
  numbers.forEach((number, at) => {
    if (number >= 0 && (known[number] ??= isWanted(number))) bits[at >>> 5]! |= 1 << (at & 31);
  });
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
