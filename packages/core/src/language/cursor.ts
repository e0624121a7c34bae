import type { Diagnostic, DiagnosticCode, SourceLocation } from './diagnostic.js';
import { suggestNearest } from '../text/nearest-name.js';
import { tokenize, type Comment, type Token } from './lexer.js';
import { NAME, RESERVED_WORDS, type Reference } from './tree.js';

/** No one reads deeper, and the parser must not run out of stack. */
const MAX_NESTING = 100;

/** A long list of words helps less than the likely one. */
const MAX_LISTED_BESIDE_NEAREST = 12;

/** Thrown inside the parser to give up on one rule or statement; never leaves it. */
export class GiveUp extends Error {}

/**
 * A position among the tokens of one file, with the words of parsing: look, accept, expect, give up. Comments that are
 * passed over are collected for the innermost construct under way.
 */
export class Cursor {
  readonly diagnostics: Diagnostic[];
  readonly #tokens: readonly Token[];
  readonly #comments: Comment[][];
  readonly #constructs: string[][] = [[]];
  #at = 0;
  #depth = 0;

  constructor(text: string, file: string) {
    const { tokens, diagnostics } = tokenize(text, file);
    this.#tokens = tokens;
    this.diagnostics = diagnostics;
    this.#comments = tokens.map((token) => [...token.comments]);
  }

  /** Runs `parse` one level deeper in parentheses. */
  nest<T>(parse: () => T): T {
    if (this.#depth >= MAX_NESTING)
      this.fail('unexpected', `expected at most ${MAX_NESTING} parentheses inside each other`);
    this.#depth += 1;
    try {
      return parse();
    } finally {
      this.#depth -= 1;
    }
  }

  get token(): Token {
    return this.#tokens[this.#at]!;
  }

  get isAtEnd(): boolean {
    return this.token.kind === 'end';
  }

  /** Runs `parse` as a separate construct and hands it the comments that belong above it. */
  construct<T>(parse: (comments: string[]) => T): T {
    const comments: string[] = [];
    this.#constructs.push(comments);
    try {
      const result = parse(comments);
      this.takeTrailingComments();
      return result;
    } finally {
      this.#constructs.pop();
    }
  }

  /** Gives the comments that end the current line to the construct under way. */
  takeTrailingComments(): void {
    const waiting = this.#comments[this.#at]!;
    while (waiting[0]?.isTrailing) this.#constructs.at(-1)!.push(waiting.shift()!.text);
  }

  next(): Token {
    const token = this.token;
    for (const comment of this.#comments[this.#at]!.splice(0)) this.#constructs.at(-1)!.push(comment.text);
    if (!this.isAtEnd) this.#at += 1;
    return token;
  }

  /** Whether the token is this keyword, operator or punctuation mark. */
  sees(...texts: string[]): boolean {
    return this.token.kind !== 'quoted' && texts.includes(this.token.text);
  }

  accept(text: string): boolean {
    if (!this.sees(text)) return false;
    this.next();
    return true;
  }

  expect(text: string, purpose: string): Token {
    if (!this.sees(text)) this.fail('unexpected', `expected ${quote(text)} ${purpose}`);
    return this.next();
  }

  expectName(what: string): Reference {
    const { kind, text, place } = this.token;
    if (kind !== 'bare') this.fail('unexpected', `expected the name of ${what}`);
    if (RESERVED_WORDS.has(text))
      this.fail(
        'reserved-word',
        `expected the name of ${what}`,
        `The word "${text}" is a keyword and cannot be a name.`,
      );
    if (!NAME.test(text))
      this.fail(
        'bad-name',
        `expected the name of ${what}`,
        'A name begins with a small letter and goes on with small letters, digits and hyphens, 63 at most.',
      );
    this.next();
    return { name: text, place };
  }

  /** One of the given words; anything else is an error that lists them and names the nearest. */
  expectOneOf<W extends string>(words: readonly W[], what: string, code: DiagnosticCode = 'unexpected'): W {
    const word = words.find((candidate) => this.sees(candidate));
    if (word === undefined) {
      const nearest = suggestNearest(this.token.text, words);
      const isListed = nearest === undefined || words.length <= MAX_LISTED_BESIDE_NEAREST;
      this.fail(code, isListed ? `expected ${what}: ${words.join(', ')}` : `expected ${what}`, nearest);
    }
    this.next();
    return word;
  }

  acceptTitle(): string | undefined {
    return this.token.kind === 'quoted' ? this.next().text : undefined;
  }

  /** Names separated by commas. */
  expectNames(what: string): Reference[] {
    const names = [this.expectName(what)];
    while (this.accept(',')) names.push(this.expectName(what));
    return names;
  }

  report(code: DiagnosticCode, message: string, place: SourceLocation, hint?: string): void {
    this.diagnostics.push({ code, message, place, ...(hint ? { hint } : {}) });
  }

  /** Reports what was found here against what was expected, and gives up on the construct. */
  fail(code: DiagnosticCode, expected: string, hint?: string): never {
    this.report(code, `Found ${describeToken(this.token)}, ${expected}.`, this.token.place, hint);
    throw new GiveUp();
  }

  /** How many tokens have been consumed, to detect progress. */
  get position(): number {
    return this.#at;
  }

  /**
   * Skips to one of the words of `anywhere`, or to a line that begins with one of `lineStarts`, or to the end. The token
   * under the cursor counts unless nothing was passed since `startedAt`, so that there is always progress.
   */
  skipTo(
    { anywhere = [], lineStarts }: { anywhere?: readonly string[]; lineStarts: readonly string[] },
    startedAt: number,
  ): void {
    const isThere = (): boolean =>
      this.#at > startedAt && (this.sees(...anywhere) || (this.sees(...lineStarts) && this.#beginsLine()));
    while (!this.isAtEnd && !isThere()) this.next();
  }

  #beginsLine(): boolean {
    return this.#at === 0 || this.#tokens[this.#at - 1]!.place.line < this.token.place.line;
  }
}

export function describeToken(token: Token): string {
  if (token.kind === 'end') return 'the end of the file';
  return token.kind === 'quoted' ? JSON.stringify(token.text) : quote(token.text);
}

function quote(text: string): string {
  return `"${text}"`;
}
