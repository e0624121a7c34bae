import { copyFileSync, existsSync, mkdtempSync, readdirSync, readFileSync, rmSync, writeFileSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { DEMO_LOG, writeInboundLog } from '@jadefence/demo';
import { checkFences } from '@jadefence/core/check';
import { FINDING_ENTRIES, FINDING_IDS } from '@jadefence/core/findings';
import { TRAFFIC_FINDING_ENTRIES, TRAFFIC_FINDING_IDS } from '@jadefence/core/traffic';
import { runExpectations } from '@jadefence/core/expectations';
import { formatDiagnostic, parseFences, printFences } from '@jadefence/core/language';
import { describe, expect, it } from 'vitest';
import { jadefence } from './jadefence.js';
import { ROOT } from './root.js';

const pages = readdirSync(join(ROOT, 'docs')).filter((name) => name.endsWith('.md'));

describe('the documentation', () => {
  it('has only fences that can be read, and whose expectations are met', () => {
    const examples = pages.flatMap((name) =>
      [...readFileSync(join(ROOT, 'docs', name), 'utf8').matchAll(/^```fence\n([^]*?)^```/gm)].map(([, text]) => text!),
    );
    expect(examples.length).toBeGreaterThan(2);
    for (const text of examples) {
      const { rulebook, files, diagnostics } = checkFences([{ path: 'example.fence', text }], []);
      expect(diagnostics.map(formatDiagnostic)).toEqual([]);
      const printed = printFences(files[0]!);
      expect(printFences(parseFences(printed, 'example.fence').file)).toBe(printed);
      // What the examples expect of themselves comes out.
      expect(runExpectations({ rulebook: rulebook! }).filter(({ isMet }) => !isMet)).toEqual([]);
    }
  });

  // After a change of an entry: `vitest run e2e/src/docs.test.ts -u`.
  it('has an entry for each finding, in the order in which they are shown', async () => {
    const path = join(ROOT, 'docs', 'findings.md');
    const [introduction] = readFileSync(path, 'utf8').split(/^## /m);
    const all = { ...FINDING_ENTRIES, ...TRAFFIC_FINDING_ENTRIES };
    const entries = [...FINDING_IDS, ...TRAFFIC_FINDING_IDS].map((id) => `## ${id}\n${wrap(all[id], 128)}\n`);
    await expect(`${introduction}${entries.join('\n')}`).toMatchFileSnapshot(path);
  });

  it('links to nothing that is not there', () => {
    const broken = ['README.md', 'ARCHITECTURE.md', 'CONTRIBUTING.md', ...pages.map((name) => `docs/${name}`)].flatMap(
      (page) => {
        const folder = join(ROOT, page, '..');
        const links = [...readFileSync(join(ROOT, page), 'utf8').matchAll(/\]\(([^)#:]+)[^)]*\)/g)].map(
          ([, link]) => link!,
        );
        return links.filter((link) => !existsSync(join(folder, link)));
      },
    );
    expect(broken).toEqual([]);
  });

  it('names every setting of the service', () => {
    const config = readFileSync(join(ROOT, 'packages/service/src/config.ts'), 'utf8');
    const settings = [...new Set([...config.matchAll(/'(JADEFENCE_\w+)'/g)].map(([, name]) => name!))];
    const operations = readFileSync(join(ROOT, 'docs/operations.md'), 'utf8');
    expect(settings.filter((name) => !operations.includes(`| \`${name}\` |`))).toEqual([]);
  });
});

describe('the tutorial', () => {
  it('shows what its commands print', async () => {
    const folder = mkdtempSync(join(tmpdir(), 'jadefence-'));
    await writeInboundLog(DEMO_LOG, join(folder, 'day.log'), join(folder, 'day.labels'));
    copyFileSync(join(ROOT, 'demo/data/countries.csv'), join(folder, 'countries.csv'));
    const blocks = [
      ...readFileSync(join(ROOT, 'docs/tutorial.md'), 'utf8').matchAll(/^```(fence|console)\n([^]*?)^```/gm),
    ];
    let numRun = 0;
    for (const [, kind, text] of blocks) {
      if (kind === 'fence') writeFileSync(join(folder, 'first.fence'), text!);
      for (const [, command, shown] of kind === 'console'
        ? text!.matchAll(/^\$ jadefence ((?:survey|judge|try) [^|\n]*)(?:\|.*)?\n((?:(?!\$ ).*\n)*)/gm)
        : []) {
        const { stdout, exitCode } = await jadefence(command!.trim().split(' '), { cwd: folder });
        expect([command, exitCode]).toEqual([command, 0]);
        const lines = shown!
          .split('\n')
          .map((line) => line.replace(/\.\.\.$/, '').trimEnd())
          .filter(Boolean);
        let at = 0;
        for (const line of lines) {
          const match = stdout.indexOf(line, at);
          expect([line, match >= 0]).toEqual([line, true]);
          at = match + line.length;
        }
        numRun += 1;
      }
    }
    expect(numRun).toBe(6);
    rmSync(folder, { recursive: true, force: true });
  }, 60_000);
});

/** Lines of at most so many characters, where words are not longer. */
function wrap(text: string, width: number): string {
  const lines = [''];
  for (const word of text.split(' ')) {
    const last = lines.at(-1)!;
    if (last !== '' && last.length + 1 + word.length > width) lines.push(word);
    else lines[lines.length - 1] = last === '' ? word : `${last} ${word}`;
  }
  return lines.join('\n');
}
