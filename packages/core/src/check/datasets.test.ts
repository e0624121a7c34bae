import fc from 'fast-check';
import { describe, expect, it } from 'vitest';
import type { Configuration } from '../edit/configuration.js';
import { compareConfigurations, describeChange } from '../edit/describe-change.js';
import { applyEdits } from '../edit/edit.js';
import { lookupInList, showList } from '../edit/list-entries.js';
import { datasetNamesOf } from '../edit/uses.js';
import { DatasetReader } from '../language/dataset-lines.js';
import { formatDiagnostic } from '../language/diagnostic.js';
import { parseFences } from '../language/parser.js';
import { splitIntoParts } from '../language/parts.js';
import { printFences } from '../language/printer.js';
import { describeStatement } from '../language/statement-sentence.js';
import { Dataset, type DatasetKind } from '../reference/dataset.js';
import { parseAddress } from '../request/address.js';
import type { Field } from '../request/field.js';
import { readPath } from '../request/path.js';
import { checkFences } from './check-fences.js';
import type { ResolvedList } from './members.js';

function datasetOf(kind: DatasetKind, lines: readonly string[], sha256 = ''): Dataset {
  const reader = new DatasetReader(kind);
  reader.push(new TextEncoder().encode(lines.join('\n')));
  const { buffer, report } = reader.end();
  expect(report.problems).toEqual([]);
  return new Dataset('d', kind, buffer, sha256);
}

/** The same entries as a list of a dataset, and written in a list. */
function bothLists(kind: DatasetKind, lines: readonly string[]): { kept: ResolvedList; written: ResolvedList } {
  const text = `list kept ${kind} from dataset d\nlist written ${kind} { ${lines.map((line) => JSON.stringify(line)).join(', ')} }`;
  const { rulebook, diagnostics } = checkFences([{ path: 'f.fence', text }], [], {
    datasets: new Map([['d', datasetOf(kind, lines)]]),
  });
  expect(diagnostics.map(formatDiagnostic)).toEqual([]);
  return { kept: rulebook!.lists.get('kept')!, written: rulebook!.lists.get('written')! };
}

describe('a list from a dataset answers as one that is written', () => {
  const label = fc.constantFrom('a', 'b', 'c');
  const host = fc.array(label, { minLength: 2, maxLength: 4 }).map((labels) => labels.join('.'));

  it('of domains', () => {
    const entry = fc.tuple(fc.constantFrom('', '*.', '='), host).map((parts) => parts.join(''));
    fc.assert(
      fc.property(fc.uniqueArray(entry, { minLength: 1, maxLength: 8 }), host, (lines, requested) => {
        const { kept, written } = bothLists('domains', lines);
        expect(kept.members.find(requested) !== undefined).toBe(written.members.find(requested) !== undefined);
        expect(kept.numEntries).toBe(written.numEntries);
      }),
      { numRuns: 200 },
    );
  });

  it('of addresses, down to the entry', () => {
    const octet = fc.nat({ max: 3 });
    const entry = fc
      .tuple(octet, octet, fc.constantFrom(22, 24, 30, 32))
      .map(([c, d, bits]) => `198.18.${bits < 24 ? c - (c % 4) : c}.${bits < 32 ? 0 : d}/${bits}`);
    fc.assert(
      fc.property(fc.uniqueArray(entry, { minLength: 1, maxLength: 8 }), octet, octet, (lines, c, d) => {
        const { kept, written } = bothLists('addresses', lines);
        const requested = parseAddress(`198.18.${c}.${d}`)!;
        expect(kept.members.find(requested)).toEqual(written.members.find(requested));
      }),
      { numRuns: 200 },
    );
  });

  it('of URLs, where host or path are none or unknown, too, and as the server reads paths', () => {
    const path = fc.constantFrom('', '/', '/a', '/A', '/a/b', '/b//c', '/ab');
    const entry = fc.tuple(host, path).map((parts) => parts.join(''));
    const half = (known: fc.Arbitrary<string>): fc.Arbitrary<Field<string>> =>
      fc.oneof({ weight: 6, arbitrary: known }, fc.constantFrom(null, undefined));
    const reading = fc.record({ 'fold-case': fc.boolean(), 'merge-slashes': fc.boolean() });
    let truths = new Set<string>();
    fc.assert(
      fc.property(
        fc.uniqueArray(entry, { minLength: 1, maxLength: 8 }),
        half(host),
        half(path.map((value) => value || '/')),
        reading,
        (lines, requestedHost, requestedPath, server) => {
          const { kept, written } = bothLists('urls', lines);
          const read = (text: string): string => readPath(text, server);
          const url = { host: requestedHost, path: requestedPath && read(requestedPath), readPath: read };
          const truth = written.urls!.evaluate(url);
          expect(kept.urls!.evaluate(url)).toBe(truth);
          expect(kept.urls!.find(url) !== undefined).toBe(truth === 'true');
          truths = truths.add(truth);
        },
      ),
      { numRuns: 600 },
    );
    expect(truths).toEqual(new Set(['true', 'false', 'unknown']));
  });
});

describe('a list from a dataset', () => {
  const TEXT = 'list touts domains "Touts" from dataset tout-sites';

  it('is printed as it is written, and read aloud', () => {
    const { file, diagnostics } = parseFences(`list touts   domains "Touts" from\n dataset tout-sites`, 'f.fence');
    expect([diagnostics, printFences(file).trim()]).toEqual([[], TEXT]);
    expect(describeStatement(file.statements[0]!, new Map())).toBe(
      'The list touts holds the domains of the dataset tout-sites.',
    );
  });

  it.each<[string, ReadonlyMap<string, Dataset> | undefined, string]>([
    [
      TEXT,
      undefined,
      'f.fence:1:41: No dataset is named "tout-sites". The service keeps datasets; without it, keep the entries in a file: from "lists/name.txt". [unknown-name]',
    ],
    [
      TEXT,
      new Map([['tout-site', datasetOf('domains', [])]]),
      'f.fence:1:41: No dataset is named "tout-sites". Did you mean "tout-site"? [unknown-name]',
    ],
    [
      TEXT,
      new Map([['tout-sites', datasetOf('addresses', [])]]),
      'f.fence:1:41: Dataset tout-sites holds addresses, expected domains. [wrong-kind]',
    ],
    [
      'list c countries from dataset tout-sites',
      new Map([['tout-sites', datasetOf('domains', [])]]),
      'f.fence:1:31: Dataset tout-sites holds domains, expected countries. [wrong-kind]',
    ],
    [
      'list a domains from dataset',
      undefined,
      'f.fence:1:28: Found the end of the file, expected the name of a dataset. [unexpected]',
    ],
  ])('%s is refused where its dataset does not fit', (text, datasets, message) => {
    expect(checkFences([{ path: 'f.fence', text }], [], { datasets }).diagnostics.map(formatDiagnostic)).toEqual([
      message,
    ]);
  });

  const configuration = (lines: readonly string[], sha256: string): Configuration => ({
    parts: splitIntoParts([
      parseFences('list d domains from dataset d\nlist all domains { d, x.example except b.a.example }', 'f').file,
    ]),
    namedFiles: [],
    datasets: [datasetOf('domains', lines, sha256)],
  });

  it('is shown by its size, looked up through other lists, and not edited entry by entry', () => {
    const item = configuration(['a.example', 'b.example'], 'aaaaaaaaaaaaaaaa');
    expect(datasetNamesOf(item.parts)).toEqual(['d']);
    expect(showList(item, 'd')).toEqual({
      name: 'd',
      kind: 'domains',
      dataset: { name: 'd', numEntries: 2 },
      entries: [],
      exceptions: [],
    });
    expect(lookupInList(item, 'all', 'www.a.example')).toMatchObject({
      isIn: true,
      entry: 'a.example',
      through: ['d'],
    });
    expect(lookupInList(item, 'all', 'b.a.example')).toMatchObject({ isIn: false, takenOutBy: 'b.a.example' });
    expect(() => applyEdits(item, [{ kind: 'edit-list', list: 'd', add: ['c.example'], remove: [] }])).toThrow(
      'The entries of the list d are the dataset d, which is not edited entry by entry.',
    );
  });

  it('differs where its dataset does', () => {
    const [before, after] = [
      configuration(['a.example'], 'aaaaaaaaaaaaaaaa'),
      configuration(['a.example', 'b.example'], 'bbbbbbbbbbbbbbbb'),
    ];
    expect(compareConfigurations(before, before)).toEqual([]);
    expect(compareConfigurations(before, after).map(describeChange)).toMatchObject([
      {
        kind: 'changed',
        part: 'dataset',
        summary: 'Dataset d was changed.',
        details: ['Content changed from 1 domain (SHA-256 aaaaaaaaaaaa) to 2 domains (SHA-256 bbbbbbbbbbbb).'],
      },
    ]);
  });
});
