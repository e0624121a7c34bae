/**
 * The words lint of `npm run check`: comments, strings, documents and names are in the plain words of the trade, so that
 * they can be searched for. docs/glossary.md has the words of the product.
 */
import { execFileSync } from 'node:child_process';
import { readFileSync } from 'node:fs';
import { join } from 'node:path';
import ts from 'typescript';
import { ROOT } from './run.mjs';

/** What is refused in texts, with what to write instead. */
const TEXT_RULES = [
  [/\b(told|tells?|telling)\b/i, 'report, show, return'],
  [/\b(says?|said|saying)\b/i, 'specify, report, contain'],
  [/\b(comes?|came|coming) to\b/i, 'results in, evaluates to, is'],
  [/\b(stands?|stood|standing)\b/i, 'is, is located'],
  [/(?<!the )\brest(s|ed|ing)? on\b/i, 'depends on, uses'],
  [/\b(hears?|heard|hearing)\b/i, 'receives, collects'],
  [/\b(asks?|asked)\b(?! for confirmation)/i, 'evaluate, test, request, look up'],
  [/\bof before\b/i, 'previous, earlier'],
  [/\bbeside\b/i, 'compared with, next to, during, in addition to'],
  [/\bof (its|their|his|our|my|one's|a) own\b/i, 'own, separate'],
  [/\bheld (against|together)\b/i, 'checked against'],
  [/\bputs? together\b|\bone behind (the other|another)\b/i, 'merged, contiguous'],
  [/\blets? go of\b|\bforg[eo]t\w*\b/i, 'evict, release, clear'],
  [/\bnought\b/i, 'zero'],
  [/\bas usual\b/i, 'well-formed'],
  [/\b(whoever|nobody|somebody)\b/i, 'the caller, no one, the user'],
  [/\bmend(s|ed|ing)?\b|\bnevertheless\b/i, 'fix, anyway'],
  [/\bthe (least|greatest)\b(?! recently)/i, 'minimum, maximum'],
  [/\blook-ups?\b/i, 'lookup'],
];
/** Parts of names in code that are refused. */
const NAME_PARTS =
  /^(told|tell|tells|said|stood|hear|hears|heard|ask|asks|asked|askable|forget|forgets|forgotten|nought|whoever|nobody|somebody|mend|mended)$/i;
/** Where such a word is meant: the language's own names, quoted data, and a question at a terminal. */
const ALLOWED = [
  { path: /^docs\/(decisions|notes)\//, pattern: /./ },
  { path: /^scripts\/lib\/words\.mjs$/, pattern: /./ },
  { path: /formats\.test\.ts$/, pattern: /He \\*"x\\*" said/ },
  { path: /^e2e\/src\/(console|survey-and-try)\.test\.ts$/, pattern: /Found "nobody"/ },
  { path: /^e2e\/src\/rulebook\.test\.ts$/, pattern: /\/ask\b|rule ask/ },
  { path: /^packages\/cli\/src\/prompts\.ts$/, pattern: /Asks for confirmation/ },
  { path: /^packages\/core\/src\/findings\/|^docs\/findings\.md$/, pattern: /transport-forgotten/ },
  { path: /log-page\.tsx$/, pattern: /only asks;/ },
];
const FILES = ['*.ts', '*.tsx', '*.mts', '*.mjs', '*.md'];

/** @returns a line for each place where a refused word is used: `file:line: "word": write ...` */
export function findRefusedWords() {
  const files = execFileSync('git', ['ls-files', '-co', '--exclude-standard', '--', ...FILES], {
    cwd: ROOT,
    encoding: 'utf8',
  });
  return files
    .split('\n')
    .filter((file) => file && !file.includes('/dist/'))
    .flatMap((file) => checkFile(file, readFileSync(join(ROOT, file), 'utf8')));
}

function checkFile(file, text) {
  const lines = text.split('\n');
  const problems = [];
  const report = (line, word, instead) => {
    const isAllowed = ALLOWED.some(({ path, pattern }) => path.test(file) && pattern.test(lines[line]));
    if (!isAllowed) problems.push(`${file}:${line + 1}: "${word}": write ${instead}`);
  };
  const checkText = (piece, firstLine) =>
    piece.split('\n').forEach((part, index) => {
      for (const [pattern, instead] of TEXT_RULES) {
        const found = pattern.exec(part);
        if (found) report(firstLine + index, found[0], instead);
      }
    });
  if (file.endsWith('.md')) checkText(text, 0);
  else checkSource(file, text, checkText, report);
  return problems;
}

function checkSource(file, text, checkText, report) {
  const source = ts.createSourceFile(file, text, ts.ScriptTarget.Latest, true);
  const lineAt = (position) => source.getLineAndCharacterOfPosition(position).line;
  const comments = new Set();
  const visit = (node) => {
    for (const { pos, end } of [
      ...(ts.getLeadingCommentRanges(text, node.getFullStart()) ?? []),
      ...(ts.getTrailingCommentRanges(text, node.getEnd()) ?? []),
    ]) {
      if (comments.has(pos)) continue;
      comments.add(pos);
      checkText(text.slice(pos, end), lineAt(pos));
    }
    const isWord = /^['"`][\w./-]*['"`]$/.test(node.getText(source));
    if ((ts.isStringLiteralLike(node) || ts.isTemplateSpan(node) || ts.isJsxText(node)) && !isWord)
      checkText(node.getText(source), lineAt(node.getStart(source)));
    if (ts.isTemplateExpression(node)) checkText(node.head.text, lineAt(node.getStart(source)));
    if (ts.isIdentifier(node) || ts.isPrivateIdentifier(node))
      for (const part of node.text.replace('#', '').split(/(?<=[a-z\d])(?=[A-Z])|_/))
        if (NAME_PARTS.test(part)) report(lineAt(node.getStart(source)), node.text, 'a name in plain words');
    // Tokens included, since a comment may precede one, such as a bar of a union.
    for (const child of node.getChildren(source)) visit(child);
  };
  visit(source);
}
