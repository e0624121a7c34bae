/** What of a request can be chosen by itself, and the classes of each such choice. */
import { chooseGate } from '../../decide/gate.js';
import type { EvaluationContext } from '../../decide/interpreter.js';
import { printCondition } from '../../language/condition-text.js';
import type { FieldName } from '../../language/fields.js';
import { AttributeReader } from '../../match/features/attribute-reader.js';
import { headerOf, queryOf } from '../../request/fields.js';
import { invariant } from '../../request/invariant.js';
import type { Attributes, AttributeValue } from '../../request/record.js';
import { classSet, type ClassSet, type Formula } from './boxes.js';
import { candidatesOf } from './candidates.js';
import type { Atom, RecordingPartitions } from './recording-partitions.js';
import type { Samples } from './samples.js';
import type { Lists } from './values.js';

/** Attributes of a request; one that is undefined is missing. */
export type Settings = Readonly<Record<string, AttributeValue | null | undefined>>;

/**
 * Which requests a value fits: `http`, those with a method and a path; `named`, those that also have the name of a TLS server;
 * `lacking`, where the log lacks this attribute; `connect`; `none` and `unknown`, other traffic, of which HTTP fields are none or unknown; `server-name`, other traffic with
 * the name of a TLS server; `any`.
 */
export type Kind = 'http' | 'named' | 'lacking' | 'connect' | 'none' | 'unknown' | 'server-name' | 'any';

export interface Candidate {
  readonly kind: Kind;
  readonly settings: Settings;
  readonly atUnixMs?: number;
}

export interface AxisClass extends Candidate {
  /** The gate that such a host, or client, leads to by itself, by each of the contexts. */
  readonly gates: readonly (string | undefined)[];
  /** Other traffic of this kind has HTTP fields that are none; it is TLS; a scheme that is encrypted. */
  readonly isEncrypted: boolean;
  readonly httpDefault: null | undefined | 'is-http';
}

export interface Axis {
  readonly name: string;
  readonly classes: readonly AxisClass[];
  /** A comparison that is chosen by itself, since texts for it can be made; its classes are false and true. */
  readonly free?: Atom;
  /** The axes of comparisons that texts are made for, of one with such texts. */
  readonly freeAxes: number[];
  /** Its comparisons, and the keys of those that are free. */
  readonly atoms: readonly Atom[];
  readonly freeKeys: ReadonlySet<string>;
  /** The partitions of its comparisons, with their features and those of their atoms that are free. */
  readonly used: readonly number[];
  readonly features: readonly Atom['feature'][];
  readonly freeOf: ReadonlyMap<number, ReadonlySet<number>>;
  /** Of its classes, by what distinguishes them. */
  readonly numbers: ReadonlyMap<string, number>;
  /** Not every combination of its comparisons may have been found. */
  readonly isInexact: boolean;
}

const AXIS_OF: Partial<Record<FieldName, string>> = {
  'country': 'client',
  'peer': 'client',
  'server country': 'server',
  'site': 'host',
  'category': 'host',
  'scheme': 'port',
  'transport': 'flow',
  'payload': 'flow',
  'from-client': 'size',
};

/** The axis of a field. */
export function axisNameOf({ comparison: { field, parameter } }: Atom, hasPathsOfHosts: boolean): string {
  const name = field as FieldName;
  if (name === 'header')
    return parameter === 'user-agent' ? 'agent' : parameter === 'cookie' ? 'cookie' : `header ${parameter}`;
  if (hasPathsOfHosts && (name === 'path' || name === 'url')) return 'host';
  return AXIS_OF[name] ?? name;
}

const MULTIPLE: ReadonlySet<string> = new Set(['header', 'cookie', 'query', 'user', 'group']);
const PATTERNS: ReadonlySet<string> = new Set(['ends', 'contains', 'like', 'matches']);

/** Whether texts are made for it: patterns, and all that one of several values can satisfy. */
export function isFree({ comparison: { field, operator, isAnyCase } }: Atom): boolean {
  if (field === 'payload' || field === 'url') return false;
  if (MULTIPLE.has(field)) return operator !== 'present' || field === 'cookie' || field === 'query';
  if (PATTERNS.has(operator)) return true;
  return operator === 'starts' && (isAnyCase || field === 'host' || field === 'site');
}

export const BASE: Readonly<Record<Kind, Settings>> = {
  'http': { 'http.request.method': 'GET', 'url.path': '/' },
  'named': { 'http.request.method': 'GET', 'url.path': '/' },
  'lacking': { 'http.request.method': 'GET', 'url.path': '/' },
  'connect': { 'http.request.method': 'CONNECT' },
  'none': { 'network.transport': 'icmp' },
  'unknown': {},
  'server-name': {},
  'any': {},
};

export function toAttributes(...settings: readonly Settings[]): Attributes {
  const merged = Object.assign({}, ...settings) as Settings;
  return Object.fromEntries(Object.entries(merged).filter(([, value]) => value !== undefined)) as Attributes;
}

const NO_CLASS = { kind: 'any', settings: {}, gates: [], isEncrypted: false, httpDefault: undefined } as const;

const NOTHING_COMPARED = {
  atoms: [],
  freeKeys: new Set<string>(),
  used: [],
  features: [],
  freeOf: new Map<number, ReadonlySet<number>>(),
  numbers: new Map<string, number>(),
} as const;

type FieldState = 'known' | 'none' | 'unknown';

/** A value with the class that it has. */
export interface Described {
  readonly key: string;
  readonly one: AxisClass;
  /** By partition, its entries but for those that are free. */
  readonly lists: readonly (readonly number[])[];
  readonly states: readonly FieldState[];
}

/** What a plain request has; everything else it does without. */
const PLAIN: ReadonlySet<string> = new Set([
  'client.address',
  'http.request.header.host',
  'http.request.method',
  'network.transport',
  'url.path',
  'url.scheme',
]);

/** The less, the more plain a value is for an example. */
function plainness({ settings, kind }: Candidate): number {
  let sum = kind === 'any' || kind === 'http' ? 0 : 1;
  for (const [name, value] of Object.entries(settings)) {
    const isOdd = value === null || value === '' || value === '0.0.0.0' || value === '::';
    sum += isOdd ? 3 : (value === undefined) === PLAIN.has(name) ? 2 : 0;
  }
  return sum;
}

export interface AxesInput {
  /** One, or what is compared: the rules may differ, and the reference data is the same. */
  readonly contexts: readonly EvaluationContext[];
  /** What the comparisons name. */
  readonly lists: Lists;
  readonly partitions: RecordingPartitions;
  /** Instants of which each set of live rules has one. */
  readonly times: readonly number[];
  readonly samples: Samples;
  readonly isOutbound: boolean;
  readonly hasInspection: boolean;
  /** Classes of clients that were found before, for the same contexts and lists. */
  readonly clientAxes?: ClientAxes;
}

/** By their comparisons. */
export type ClientAxes = Map<string, readonly Described[]>;

function describeAtom({ feature, atom, comparison }: Atom): string {
  return `${feature.key} ${atom} ${printCondition({ ...comparison, isNegated: false })}`;
}

/** The axes of the comparisons of a gate, and comparisons as formulas over them. */
export class Axes {
  readonly all: Axis[] = [];
  readonly #byName = new Map<string, number>();
  readonly #formulas = new Map<string, Formula>();
  readonly #singles: Map<number, ClassSet>[] = [];

  constructor(private readonly input: AxesInput) {
    const { partitions, contexts, times } = input;
    const hasPathsOfHosts =
      partitions.atoms.some(({ comparison }) => comparison.field === 'url') ||
      contexts[0]!.categories?.hasPaths === true;
    const groups = new Map<string, Atom[]>([
      ['client', []],
      ['host', []],
      ['port', []],
      ['flow', []],
      ['method', []],
    ]);
    if (!hasPathsOfHosts) groups.set('path', []);
    for (const atom of partitions.atoms) {
      const name = axisNameOf(atom, hasPathsOfHosts);
      const group = groups.get(name);
      if (group) group.push(atom);
      else groups.set(name, [atom]);
    }
    for (const [name, atoms] of groups) this.#addAxis(name, atoms, hasPathsOfHosts);
    this.#byName.set('time', this.all.length);
    this.all.push({
      name: 'time',
      classes: times.map((atUnixMs) => ({
        ...NO_CLASS,
        atUnixMs,
      })),
      freeAxes: [],
      ...NOTHING_COMPARED,
      isInexact: false,
    });
  }

  /** One class of an axis, as a set. */
  single(axis: number, number: number): ClassSet {
    const sets = (this.#singles[axis] ??= new Map());
    let set = sets.get(number);
    if (!set) sets.set(number, (set = classSet(this.all[axis]!.classes.length, (one) => one === number)));
    return set;
  }

  get partitions(): RecordingPartitions {
    return this.input.partitions;
  }

  axisOf(name: string): number | undefined {
    return this.#byName.get(name);
  }

  /** The formula of a comparison. */
  formulaOf(partition: number, atom: number): Formula {
    const formula = this.#formulas.get(`${partition} ${atom}`);
    invariant(formula, 'a comparison has no axis');
    return formula;
  }

  #addAxis(name: string, atoms: readonly Atom[], hasPathsOfHosts: boolean): void {
    const { candidates, isInexact } = candidatesOf(name, atoms, { ...this.input, hasPathsOfHosts });
    const used = [...new Set(atoms.map(({ partition }) => partition))];
    const features = used.map((partition) => atoms.find((atom) => atom.partition === partition)!.feature);
    const free = atoms.filter(isFree);
    const freeOf = new Map(
      used.map((partition) => [
        partition,
        new Set(free.filter((atom) => atom.partition === partition).map(({ atom }) => atom)),
      ]),
    );
    const numbers = new Map<string, number>();
    const freeKeys = new Set(free.map((atom) => `${atom.partition} ${atom.atom}`));
    const axis: Axis = { name, classes: [], used, features, freeOf, numbers, freeAxes: [], atoms, freeKeys, isInexact };
    const described = this.#describeAll(axis, candidates);
    described.forEach(({ key, one }, number) => {
      (axis.classes as AxisClass[]).push(one);
      numbers.set(key, number);
    });
    const place = this.all.push(axis) - 1;
    this.#byName.set(name, place);
    this.#addFormulas(place, atoms, described);
  }

  /** One value of each class, the plainest first; those of clients are the same wherever the comparisons are. */
  #describeAll(axis: Axis, candidates: Iterable<Candidate>): readonly Described[] {
    const { clientAxes } = this.input;
    const memo = axis.name === 'client' && clientAxes ? axis.atoms.map(describeAtom).join('\n') : undefined;
    const known = memo === undefined ? undefined : clientAxes!.get(memo);
    if (known) return known;
    const found = new Map<string, Described>();
    for (const candidate of candidates) {
      const described = this.describe(axis, candidate);
      const before = found.get(described.key);
      if (!before || plainness(candidate) < plainness(before.one)) found.set(described.key, described);
    }
    const all = [...found.values()].sort((a, b) => plainness(a.one) - plainness(b.one));
    if (memo !== undefined) clientAxes!.set(memo, all);
    return all;
  }

  /** The class that a value has: values that no comparison distinguishes have the same key. */
  describe({ name, used, features, freeOf }: Axis, candidate: Candidate): Described {
    const { contexts, partitions } = this.input;
    const reader = new AttributeReader(toAttributes(BASE[candidate.kind], candidate.settings));
    const { request } = reader;
    const lists = used.map((partition) => {
      const some = partitions.all[partition]!;
      const all = some.entriesOf(some.read(reader));
      const skipped = freeOf.get(partition)!;
      return skipped.size === 0 ? [...all] : [...all].filter((entry) => !skipped.has(entry >> 1));
    });
    const states = features.map((feature): FieldState => {
      // A parameter, or a cookie, can be added wherever there are any.
      const value =
        name === 'query' ? queryOf(request) : name === 'cookie' ? headerOf(request, 'cookie') : feature.read(reader);
      return value === undefined ? 'unknown' : value === null ? 'none' : 'known';
    });
    const leads = name === 'client' || name === 'host';
    const gates = contexts.map((context) =>
      leads ? chooseGate({ ...context, gate: undefined }, request)?.gate.statement.name : undefined,
    );
    const { isEncrypted } = request;
    const httpDefault = candidate.kind === 'any' ? request.httpDefault : undefined;
    return {
      key: JSON.stringify([candidate.kind, gates, isEncrypted, httpDefault, states, lists]),
      one: { ...candidate, gates, isEncrypted, httpDefault },
      lists,
      states,
    };
  }

  #addFormulas(axis: number, atoms: readonly Atom[], described: readonly Described[]): void {
    const { used } = this.all[axis]!;
    const numClasses = described.length;
    const truths = new Map<string, { isTrue: Uint32Array; isUnknown: Uint32Array; hasUnknown: boolean }>();
    const words = (numClasses + 31) >>> 5;
    for (const { partition, atom } of atoms)
      truths.set(`${partition} ${atom}`, {
        isTrue: new Uint32Array(words),
        isUnknown: new Uint32Array(words),
        hasUnknown: false,
      });
    described.forEach(({ lists }, number) => {
      lists.forEach((list, place) => {
        for (const entry of list) {
          const item = truths.get(`${used[place]} ${entry >> 1}`)!;
          if ((entry & 1) === 0) item.isTrue[number >>> 5]! |= 1 << (number & 31);
          else {
            item.isUnknown[number >>> 5]! |= 1 << (number & 31);
            item.hasUnknown = true;
          }
        }
      });
    });
    for (const atom of atoms) {
      const key = `${atom.partition} ${atom.atom}`;
      if (isFree(atom)) {
        const place = used.indexOf(atom.partition);
        this.#formulas.set(
          key,
          this.#addFree(
            axis,
            atom,
            described.map(({ states }) => states[place]!),
          ),
        );
        continue;
      }
      const { isTrue, isUnknown, hasUnknown } = truths.get(key)!;
      this.#formulas.set(key, {
        kind: 'atom',
        axis,
        whereTrue: classSet(numClasses, (number) => ((isTrue[number >>> 5]! >>> (number & 31)) & 1) === 1),
        ...(hasUnknown
          ? { whereUnknown: classSet(numClasses, (number) => ((isUnknown[number >>> 5]! >>> (number & 31)) & 1) === 1) }
          : {}),
      });
    }
  }

  /** A comparison that is true or false as is wished where its text is known. */
  #addFree(textAxis: number, atom: Atom, states: readonly FieldState[]): Formula {
    const axis =
      this.all.push({
        name: `free ${this.all.length}`,
        classes: [NO_CLASS, NO_CLASS],
        free: atom,
        freeAxes: [],
        ...NOTHING_COMPARED,
        isInexact: false,
      }) - 1;
    this.all[textAxis]!.freeAxes.push(axis);
    const where = (state: FieldState) => classSet(states.length, (number) => states[number] === state);
    const wished: Formula = { kind: 'atom', axis, whereTrue: classSet(2, (number) => number === 1) };
    const isKnown: Formula = { kind: 'atom', axis: textAxis, whereTrue: where('known') };
    const unknown: Formula = {
      kind: 'atom',
      axis: textAxis,
      whereTrue: classSet(states.length, () => false),
      whereUnknown: where('unknown'),
    };
    return { kind: 'or', parts: [{ kind: 'and', parts: [isKnown, wished] }, unknown] };
  }
}
