/**
 * Texts that a regular expression matches: of alternatives, the first few; of repetitions, the fewest that are allowed. What
 * is not understood gives none; every text is tried before it is used.
 */
export function samplePattern(expression: string): string[] {
  const plain = expression.replace(/\(\?[a-zA-Z]+\)/g, '');
  try {
    const sampler = new Sampler(plain);
    const samples = sampler.alternatives();
    return sampler.isAtEnd ? samples : [];
  } catch (error) {
    if (error instanceof RangeError) return [];
    throw error;
  }
}

const MAX_SAMPLES = 6;
const OF_CLASS: Readonly<Record<string, string>> = {
  d: '0',
  w: 'a',
  s: ' ',
  D: 'x',
  W: '-',
  S: 'x',
  b: '',
  B: '',
  A: '',
  z: '',
  t: '\t',
  n: '\n',
  r: '\r',
};

class Sampler {
  #at = 0;

  constructor(private readonly text: string) {}

  get isAtEnd(): boolean {
    return this.#at === this.text.length;
  }

  alternatives(): string[] {
    let all = this.#sequence();
    while (this.#accept('|')) all = all.concat(this.#sequence());
    return all.slice(0, MAX_SAMPLES);
  }

  #sequence(): string[] {
    let all = [''];
    while (!this.isAtEnd && !'|)'.includes(this.text[this.#at]!)) {
      const parts = this.#repeated();
      all = all.flatMap((before) => parts.map((part) => before + part)).slice(0, MAX_SAMPLES);
    }
    return all;
  }

  #repeated(): string[] {
    const parts = this.#one();
    const [whole = '', least = ''] = /^(?:[*+?]|\{(\d+)(?:,\d*)?\})\??/.exec(this.text.slice(this.#at)) ?? [];
    this.#at += whole.length;
    if (whole.startsWith('*') || whole.startsWith('?')) return ['', ...parts];
    return whole.startsWith('{') ? parts.map((part) => part.repeat(Number(least))) : parts;
  }

  #one(): string[] {
    const character = this.text[this.#at++]!;
    if (character === '(') {
      this.#accept('?:');
      const all = this.alternatives();
      if (!this.#accept(')')) throw new RangeError('a group has no end');
      return all;
    }
    if (character === '[') return [this.#ofSet()];
    if (character === '\\') return [this.#escaped()];
    if (character === '^' || character === '$') return [''];
    return [character === '.' ? 'x' : character];
  }

  #escaped(): string {
    const letter = this.text[this.#at++] ?? '';
    if (/[A-Za-z0-9]/.test(letter) && OF_CLASS[letter] === undefined) throw new RangeError('an escape is not known');
    return OF_CLASS[letter] ?? letter;
  }

  /** A character of a set, or, where it is negated, one that is probably outside. */
  #ofSet(): string {
    const isNegated = this.#accept('^');
    let first: string | undefined;
    const members = new Set<string>();
    while (!this.isAtEnd && (this.text[this.#at] !== ']' || first === undefined)) {
      const character = this.text[this.#at++]!;
      const member = character === '\\' ? this.#escaped() : character;
      first ??= member;
      members.add(member);
    }
    if (!this.#accept(']')) throw new RangeError('a set has no end');
    if (!isNegated) return first!;
    return [...'x0-/A'].find((character) => !members.has(character)) ?? '~';
  }

  #accept(text: string): boolean {
    if (!this.text.startsWith(text, this.#at)) return false;
    this.#at += text.length;
    return true;
  }
}
