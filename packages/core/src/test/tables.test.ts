import { existsSync, readdirSync, readFileSync } from 'node:fs';
import { join } from 'node:path';
import ts from 'typescript';
import { describe, expect, it } from 'vitest';

const CORE = join(import.meta.dirname, '..');
const ROOMS = readdirSync(CORE)
  .map((room) => join(CORE, room, 'index.ts'))
  .filter((path) => existsSync(path));

/** The files of the core that do not compile once a file is changed. */
function brokenBy(file: string, change: (text: string) => string): string[] {
  const path = join(CORE, file);
  const text = readFileSync(path, 'utf8');
  const changed = change(text);
  expect(changed).not.toBe(text);
  const options: ts.CompilerOptions = {
    target: ts.ScriptTarget.ES2023,
    module: ts.ModuleKind.NodeNext,
    moduleResolution: ts.ModuleResolutionKind.NodeNext,
    lib: ['lib.es2023.d.ts', 'lib.dom.d.ts'],
    types: [],
    strict: true,
    noUncheckedIndexedAccess: true,
    noImplicitReturns: true,
    skipLibCheck: true,
    noEmit: true,
  };
  const host = ts.createCompilerHost(options);
  const read = host.readFile.bind(host);
  host.readFile = (name) => (name === path ? changed : read(name));
  const program = ts.createProgram(ROOMS, options, host);
  const diagnostics = program.getSourceFiles().flatMap((source) => [...program.getSemanticDiagnostics(source)]);
  return [...new Set(diagnostics.flatMap(({ file: at }) => (at ? [at.fileName.slice(CORE.length + 1)] : [])))].sort();
}

describe('the tables of the language', () => {
  it('do not compile with a field that no evaluator reads', () => {
    const addField = (text: string): string =>
      text.replace("  'client': {", "  'colour': { kind: 'text' },\n  'client': {");
    expect(brokenBy('language/fields.ts', addField)).toEqual(['decide/view.ts', 'match/features/features.ts']);
  }, 120_000);

  it('do not compile with an action that is not evaluated, compiled, printed and described', () => {
    const addAction = (text: string): string =>
      text.replace(
        "  | { readonly kind: 'observe' };",
        "  | { readonly kind: 'observe' }\n  | { readonly kind: 'delay' };",
      );
    expect(brokenBy('language/tree.ts', addAction)).toEqual([
      'decide/interpreter.ts',
      'language/action-text.ts',
      'language/sentence.ts',
      'language/tree.ts',
      'match/compile/trace.ts',
    ]);
  }, 120_000);
});
