import type { Diagnostic, SourceLocation } from './diagnostic.js';

/** One token of fence text. */
export interface Token {
  readonly kind: 'bare' | 'quoted' | 'punctuation' | 'end';
  /** The bare text, the decoded quoted value, the punctuation mark, or empty at the end. */
  readonly text: string;
  readonly place: SourceLocation;
  /** It is no value: what is wrong with it is reported already. */
  readonly isBroken: boolean;
  /** Comments since the token before, without `#` and surrounding spaces. */
  readonly comments: readonly Comment[];
}

export interface Comment {
  readonly text: string;
  /** Whether a token precedes it on its line, so that it comments on that line. */
  readonly isTrailing: boolean;
}

const PUNCTUATION = new Set([',', '{', '}', '(', ')']);

/**
 * Cuts fence text into tokens; the last is always `end`. Errors are collected and the text after them is still read.
 * A bare value ends at white space and `, { } ( )`; `#` begins a comment only where a token may begin.
 */
export function tokenize(text: string, file: string): { tokens: Token[]; diagnostics: Diagnostic[] } {
  const tokens: Token[] = [];
  const diagnostics: Diagnostic[] = [];
  let comments: Comment[] = [];
  let line = 1;
  let lineStart = 0;
  let lastTokenLine = 0;
  let at = 0;

  const push = (kind: Token['kind'], value: string, place: SourceLocation, isBroken = false): void => {
    tokens.push({ kind, text: value, place, isBroken, comments });
    comments = [];
    lastTokenLine = place.line;
  };
  while (at < text.length) {
    const character = text[at]!;
    const place = { file, line, column: at - lineStart + 1 };
    if (character === '\n') {
      at += 1;
      line += 1;
      lineStart = at;
    } else if (/\s/.test(character) || character === '\ufeff') {
      at += 1;
    } else if (PUNCTUATION.has(character)) {
      push('punctuation', character, place);
      at += 1;
    } else if (character === '#') {
      const end = endOfLine(text, at);
      comments.push({ text: text.slice(at + 1, end).trim(), isTrailing: lastTokenLine === line });
      at = end;
    } else if (character === '"') {
      const { value, end, problem } = readQuoted(text, at);
      if (problem) diagnostics.push({ ...problem, place });
      push('quoted', value, place, problem !== undefined);
      at = end;
    } else {
      const end = endOfBare(text, at);
      const bare = text.slice(at, end);
      if (bare.includes('"')) {
        diagnostics.push({
          code: 'bad-character',
          message: `Found a quotation mark inside ${bare}.`,
          place: { ...place, column: place.column + bare.indexOf('"') },
          hint: 'Quote the whole value, or put a space before the quotation mark.',
        });
      }
      push('bare', bare, place, bare.includes('"'));
      at = end;
    }
  }
  push('end', '', { file, line, column: at - lineStart + 1 });
  return { tokens, diagnostics };
}

function endOfLine(text: string, from: number): number {
  const end = text.indexOf('\n', from);
  return end < 0 ? text.length : end;
}

function endOfBare(text: string, from: number): number {
  let at = from;
  while (at < text.length && !/[\s,{}()]/.test(text[at]!)) at += 1;
  return at;
}

function readQuoted(text: string, from: number): { value: string; end: number; problem?: Omit<Diagnostic, 'place'> } {
  const lineEnd = endOfLine(text, from);
  let at = from + 1;
  while (at < lineEnd && text[at] !== '"') at += text[at] === '\\' ? 2 : 1;
  if (at >= lineEnd) {
    const problem = {
      code: 'unterminated-text' as const,
      message: `Found ${text.slice(from, Math.min(lineEnd, from + 40)).trimEnd()} without a closing quotation mark on its line.`,
      hint: 'Close it with ", and write a line break inside as \\n.',
    };
    return { value: '', end: lineEnd, problem };
  }
  const literal = text.slice(from, at + 1);
  try {
    return { value: JSON.parse(literal) as string, end: at + 1 };
  } catch {
    const problem = {
      code: 'bad-character' as const,
      message: `Found ${literal}, which is no JSON string.`,
      hint: 'Write a backslash as \\\\ and a quotation mark as \\".',
    };
    return { value: '', end: at + 1, problem };
  }
}
