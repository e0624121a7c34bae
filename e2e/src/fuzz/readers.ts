/** Everything that reads what another user wrote: each takes any bytes, and throws only its own errors. */
import { existsSync, readdirSync, readFileSync } from 'node:fs';
import { join } from 'node:path';
import { gzipSync } from 'node:zlib';
import { checkFences, checkFilter } from '@jadefence/core/check';
import { applyEdits, EditError } from '@jadefence/core/edit';
import { splitIntoParts } from '@jadefence/core/language';
import { detectFormat, LogOptionsError, LOG_FORMATS, type LogFormat } from '@jadefence/core/logs';
import { DATASET_KINDS } from '@jadefence/core/reference';
import { LogImporter } from '@jadefence/core/parse-logs';
import {
  packFiles,
  readApplicationCatalogue,
  readCategoryFile,
  readCountryFile,
  readDatasetFile,
  UnreadableFileError,
} from '@jadefence/files';
import { FENCES } from '../fixture.js';
import { ROOT } from '../root.js';

export interface Reader {
  readonly name: string;
  /** What it can read, to be changed at random. */
  readonly samples: readonly Buffer[];
  read(bytes: Buffer): unknown;
  /** What it may throw. */
  readonly errors: readonly (new (...args: never[]) => Error)[];
}

const CORPUS = join(ROOT, 'conformance');
const OPTIONS: Partial<Record<LogFormat, object>> = {
  pattern: { pattern: '{client} [{time}] "{request}" {status}' },
};
const LINES: Partial<Record<LogFormat, string>> = {
  'common': '198.18.4.7 - - [12/Oct/2026:10:00:01 +0000] "GET /a HTTP/1.1" 200 5\n',
  'pattern': '198.18.4.7 [12/Oct/2026:10:00:01 +0000] "GET /a HTTP/1.1" 200\n',
  'combined': '198.18.4.7 - - [12/Oct/2026:10:00:01 +0000] "GET /a HTTP/1.1" 200 5 "-" "He\\"ron/1"\n',
  'w3c':
    '#Fields: date time c-ip cs(Host) cs-uri-stem sc-status cs(User-Agent)\n2026-10-12 10:00:00 198.18.4.7 a.example /a 200 "a ""b"""\n',
  'csv': 'timestamp,client.address,url.path\n2026-10-12T10:00:00Z,198.18.4.7,"/a ""b"""\n',
  'key-value': 'time=2026-10-12T10:00:00Z client=198.18.4.7 host=a.example path="/a \\"b\\""\n',
};

export async function openReaders(): Promise<Reader[]> {
  const logs = filesCalled(/^log\./);
  const fences = filesCalled(/\.fence$/);
  const countries = filesCalled(/^countries\.csv$/);
  const categories = filesCalled(/^categories\.csv$/);
  const { rulebook, files } = checkFences([{ path: 'f.fence', text: FENCES }], []);
  const configuration = { parts: splitIntoParts(files), namedFiles: [] };
  const archive = await bytesOf(packFiles([join(ROOT, 'demo/data/countries.csv')].filter((path) => existsSync(path))));
  const lines = Object.values(LINES).map((line) => Buffer.from(line));
  return [
    ...(Object.keys(LOG_FORMATS) as LogFormat[]).map((format): Reader => ({
      name: `log ${format}`,
      samples: [...lines, ...logs],
      read: (bytes) => readLog(format, bytes),
      errors: [LogOptionsError],
    })),
    {
      name: 'format of a log',
      samples: [...lines, ...logs],
      read: (bytes) => detectFormat(bytes, true),
      errors: [LogOptionsError],
    },
    {
      name: 'fences',
      samples: [Buffer.from(FENCES), ...fences],
      read: (bytes) => checkFences([{ path: 'f.fence', text: bytes.toString() }], []),
      errors: [],
    },
    {
      name: 'filter',
      samples: [Buffer.from('outcome = blocked and (path under /a or client in 198.18.0.0/24) and not rule = login')],
      read: (bytes) => checkFilter(bytes.toString(), rulebook!),
      errors: [],
    },
    {
      name: 'edit',
      samples: [Buffer.from('rule x block when path under /a'), ...fences],
      read: (bytes) =>
        applyEdits(configuration, [
          { kind: 'add-rule', fence: 'desk', text: bytes.toString(), position: { at: 'top' } },
        ]),
      errors: [EditError],
    },
    {
      name: 'country table',
      samples: [...countries, ...countries.map((bytes) => gzipSync(bytes)), archive.subarray(0, 4096)],
      read: (bytes) => readCountryFile(inPieces(bytes)),
      errors: [UnreadableFileError],
    },
    {
      name: 'category feed',
      samples: [
        ...categories,
        Buffer.from('0.0.0.0 localhost ads.example\n'),
        ...categories.map((category) => gzipSync(category)),
      ],
      read: (bytes) => readCategoryFile('feed', inPieces(bytes), { category: 'sport' }),
      errors: [UnreadableFileError],
    },
    ...DATASET_KINDS.map((kind): Reader => ({
      name: `list of ${kind}`,
      samples: [Buffer.from('198.18.0.0/24\n*.shop.example\nhttps://shop.example/sale\n# comment\n')],
      read: (bytes) => readDatasetFile(kind, inPieces(bytes)),
      errors: [UnreadableFileError],
    })),
    {
      name: 'applications',
      samples: [Buffer.from('applications:\n  - name: heron\n    signatures:\n      - agent contains "Heron/"\n')],
      read: (bytes) => readApplicationCatalogue(bytes.toString()),
      errors: [],
    },
  ];
}

function readLog(format: LogFormat, bytes: Buffer): void {
  const importer = new LogImporter(format, { ...OPTIONS[format] }, () => undefined);
  const middle = Math.floor(bytes.length / 2);
  importer.push(bytes.subarray(0, middle));
  importer.push(bytes.subarray(middle));
  importer.end();
}

function filesCalled(name: RegExp): Buffer[] {
  return readdirSync(CORPUS, { recursive: true, withFileTypes: true })
    .filter((entry) => entry.isFile() && name.test(entry.name))
    .map((entry) => readFileSync(join(entry.parentPath, entry.name)));
}

async function* inPieces(bytes: Buffer): AsyncGenerator<Uint8Array> {
  const middle = Math.floor(bytes.length / 3);
  yield bytes.subarray(0, middle);
  yield bytes.subarray(middle);
}

async function bytesOf(pieces: AsyncIterable<Uint8Array>): Promise<Buffer> {
  const all: Uint8Array[] = [];
  for await (const piece of pieces) all.push(piece);
  return Buffer.concat(all);
}
