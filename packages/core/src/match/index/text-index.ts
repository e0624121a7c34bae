/**
 * Which comparisons of text hold for a text, without evaluating each: whole texts by a Map, starts and ends by their length,
 * paths by their segments, and the rest behind three characters that the text must have.
 */
import type { Comparison } from '../../language/tree.js';
import { compileLike, compilePattern, foldAsciiCase, type TextTest } from '../../reference/text-pattern.js';
import { invariant } from '../../request/invariant.js';
import { readPath, readPathPart, type PathReading } from '../../request/path.js';
import type { AtomSet } from './atom-set.js';
import { requiredLiterals } from './required-literal.js';

/** Atoms by a text. */
type ByText = Map<string, number[]>;

interface Candidate {
  readonly atom: number;
  readonly test: TextTest;
}

const GRAM = 3;
/** Of a character: upper and lower case are the same. */
const GRAM_BITS = 5;
const GRAM_MASK = (1 << (GRAM * GRAM_BITS)) - 1;

export class TextIndex {
  readonly #whole: ByText = new Map();
  readonly #wholeFolded: ByText = new Map();
  readonly #starts = new Map<number, ByText>();
  readonly #ends = new Map<number, ByText>();
  /** By a prefix of whole segments, without its final slash. */
  readonly #under: ByText = new Map();
  /** By the hash of three characters; a text must have those of one of the trigrams of a candidate. */
  readonly #byTrigram = new Map<number, Candidate[]>();
  readonly #hasTrigram = new Uint8Array(GRAM_MASK + 1);
  /** Candidates without a required trigram. */
  readonly #always: Candidate[] = [];

  constructor(private readonly reading: PathReading) {}

  add(atom: number, comparison: Comparison): void {
    const { operator, isAnyCase, values } = comparison;
    for (const value of values) {
      const literal = literalOf(value);
      const text = this.#read(comparison, literal);
      if (operator === '=' || operator === 'in') {
        if (isAnyCase) insert(this.#wholeFolded, foldAsciiCase(text), atom);
        else insert(this.#whole, text, atom);
      } else if (operator === 'under') insert(this.#under, text.endsWith('/') ? text.slice(0, -1) : text, atom);
      else if (!isAnyCase && operator === 'starts') insertByLength(this.#starts, text, atom);
      else if (!isAnyCase && operator === 'ends') insertByLength(this.#ends, text, atom);
      else this.#addSearch(atom, operator, isAnyCase ? foldAsciiCase(text) : text, isAnyCase);
    }
  }

  /** Literals are read as the server reads paths: whole paths as paths, parts as parts, expressions not at all. */
  #read({ field, operator }: Comparison, literal: string): string {
    if (field !== 'path' || operator === 'matches') return literal;
    const isWhole = operator === '=' || operator === 'in' || operator === 'under';
    return isWhole ? readPath(literal, this.reading) : readPathPart(literal, this.reading);
  }

  #addSearch(atom: number, operator: Comparison['operator'], literal: string, isAnyCase: boolean): void {
    const needed = requiredLiteralsOf(operator, literal);
    const plain = createTest(operator, literal);
    const test = operator === 'matches' || operator === 'like' ? requireLiterals(needed, plain) : plain;
    const candidate = { atom, test: isAnyCase ? (text: string) => test(foldAsciiCase(text)) : test };
    const choices = needed.filter((literals) => literals.every(({ length }) => length >= GRAM));
    if (choices.length === 0) {
      this.#always.push(candidate);
      return;
    }
    const grams = choices.map((literals) => [...new Set(literals.map(lastGramOf))]);
    const numBehind = (some: readonly number[]): number =>
      some.reduce((sum, gram) => sum + (this.#byTrigram.get(gram)?.length ?? 0), 0);
    // The trigram with fewest candidates: common ones match often and select little.
    const best = grams.reduce((a, b) => (numBehind(b) < numBehind(a) ? b : a));
    for (const gram of best) {
      const chain = this.#byTrigram.get(gram);
      if (chain) chain.push(candidate);
      else this.#byTrigram.set(gram, [candidate]);
      this.#hasTrigram[gram] = 1;
    }
  }

  collect(text: string, atoms: AtomSet): void {
    addAll(this.#whole.get(text), atoms);
    if (this.#wholeFolded.size > 0) addAll(this.#wholeFolded.get(foldAsciiCase(text)), atoms);
    for (const [length, byText] of this.#starts)
      if (length <= text.length) addAll(byText.get(text.slice(0, length)), atoms);
    for (const [length, byText] of this.#ends)
      if (length <= text.length) addAll(byText.get(text.slice(text.length - length)), atoms);
    if (this.#under.size > 0) this.#collectUnder(text, atoms);
    for (const { atom, test } of this.#always) if (test(text)) atoms.addTrue(atom);
    if (this.#byTrigram.size > 0) this.#collectByTrigram(text, atoms);
  }

  #collectUnder(path: string, atoms: AtomSet): void {
    for (let end = path.indexOf('/'); end >= 0; end = path.indexOf('/', end + 1))
      addAll(this.#under.get(path.slice(0, end)), atoms);
    addAll(this.#under.get(path), atoms);
  }

  #collectByTrigram(text: string, atoms: AtomSet): void {
    const isGram = this.#hasTrigram;
    let gram = 0;
    for (let at = 0; at < text.length; at += 1) {
      gram = nextGram(gram, text.charCodeAt(at));
      if (isGram[gram] === 1)
        for (const { atom, test } of this.#byTrigram.get(gram)!)
          if (!atoms.has(atom) && test(text)) atoms.addTrue(atom);
    }
  }
}

/** The hash of the last three characters: equal trigrams have equal hashes. */
function nextGram(gram: number, code: number): number {
  return ((gram << GRAM_BITS) | (code & ((1 << GRAM_BITS) - 1))) & GRAM_MASK;
}

/** Of the last three characters of a text: beginnings are what texts share. */
function lastGramOf(text: string): number {
  let gram = 0;
  for (let at = text.length - GRAM; at < text.length; at += 1) gram = nextGram(gram, text.charCodeAt(at));
  return gram;
}

function literalOf(value: Comparison['values'][number]): string {
  if (value.kind === 'domain') return value.entry.name;
  if (value.kind === 'word') return value.name;
  invariant(value.kind === 'text', `a text is compared with a ${value.kind}`);
  return value.text;
}

function createTest(operator: Comparison['operator'], literal: string): TextTest {
  switch (operator) {
    case 'starts':
      return (text) => text.startsWith(literal);
    case 'ends':
      return (text) => text.endsWith(literal);
    case 'contains':
      return (text) => text.includes(literal);
    case 'like':
      return compileLike(literal);
    default: {
      const compiled = compilePattern(literal);
      invariant('test' in compiled, `an expression was not checked: ${literal}`);
      return compiled.test;
    }
  }
}

/** Sets of texts: every text for which the comparison holds has one of each. */
function requiredLiteralsOf(operator: Comparison['operator'], literal: string): readonly (readonly string[])[] {
  if (operator === 'matches') return requiredLiterals(literal);
  return (operator === 'like' ? literal.split(/[*?]+/) : [literal]).filter((part) => part !== '').map((part) => [part]);
}

/** A test that is evaluated only for texts that contain its required literals, which is a faster check. */
function requireLiterals(needed: readonly (readonly string[])[], test: TextTest): TextTest {
  return (text) => {
    for (const literals of needed) if (!hasOne(text, literals)) return false;
    return test(text);
  };
}

function hasOne(text: string, literals: readonly string[]): boolean {
  for (const literal of literals) if (text.includes(literal)) return true;
  return false;
}

function insert(byText: ByText, text: string, atom: number): void {
  const atoms = byText.get(text);
  if (atoms) atoms.push(atom);
  else byText.set(text, [atom]);
}

function insertByLength(byLength: Map<number, ByText>, text: string, atom: number): void {
  const byText = byLength.get(text.length) ?? new Map<string, number[]>();
  byLength.set(text.length, byText);
  insert(byText, text, atom);
}

function addAll(added: readonly number[] | undefined, atoms: AtomSet): void {
  if (added) for (const atom of added) atoms.addTrue(atom);
}
