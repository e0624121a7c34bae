import { pino } from 'pino';
import { afterAll, beforeAll, beforeEach, describe, expect, it } from 'vitest';
import { startFileServer, type FileServer } from '../../../../../e2e/src/fake-servers.js';
import { createTestDatabase } from '../../../../../e2e/src/test-database.js';
import { useAuditKey } from '../../database/audit.js';
import { migrate, openDatabase, type Database } from '../../database/database.js';
import { SourceModel } from '../../database/models.js';
import type { ImportInput, ReferenceImports } from '../datasets/imports.js';
import { Sources } from './sources.js';

let database: Awaited<ReturnType<typeof createTestDatabase>>;
let db: Database;
let files: FileServer;
let sources: Sources;
let imported: string[];

beforeAll(async () => {
  database = await createTestDatabase();
  db = openDatabase(database.url, 4);
  await migrate(db);
  useAuditKey(new Uint8Array(32));
  files = await startFileServer();
  // What is done with the bytes is not tested here.
  const imports = {
    async import({ kind, name }: ImportInput, pieces: AsyncIterable<Uint8Array>) {
      for await (const piece of pieces) expect(piece.length).toBeGreaterThan(0);
      imported.push(`${kind} ${name}`);
    },
  } as unknown as ReferenceImports;
  const limits = { maxBytes: 1000, timeoutMs: 1000, maxRedirects: 1, mayFetchPrivate: true };
  sources = new Sources(db, imports, limits, undefined, pino({ level: 'silent' }));
});
afterAll(async () => {
  await files.close();
  await db.destroy();
  await database.drop();
});
beforeEach(async () => {
  imported = [];
  await SourceModel.query(db).delete();
});

const put = (name: string, path: string, everyMinutes: number) =>
  sources.put({ kind: 'category', name, locations: [`${files.url}${path}`], everyMinutes }, {
    userId: null,
  } as never);
const inMinutes = (minutes: number): Date => new Date(Date.now() + minutes * 60_000);

describe('what is refreshed on a schedule', () => {
  it('is refreshed when it is due, each by its own interval, and not before', async () => {
    files.serve('/a', 'a.example,x\n');
    files.serve('/b', 'b.example,x\n');
    await put('a', '/a', 10);
    await put('b', '/b', 60);
    await sources.refreshDue(new Date());
    expect(imported).toEqual(['category a', 'category b']);
    await sources.refreshDue(inMinutes(5));
    expect(imported).toHaveLength(2);
    files.serve('/a', 'a.example,other\n');
    files.serve('/b', 'b.example,other\n');
    await sources.refreshDue(inMinutes(11));
    expect(imported.slice(2)).toEqual(['category a']);
  });

  it('keeps a failure with its source, goes on with the others, and clears it after the next success', async () => {
    files.answer('/gone', (_, response) => void response.writeHead(404).end());
    files.serve('/b', 'b.example,x\n');
    await put('a', '/gone', 10);
    await put('b', '/b', 10);
    await sources.refreshDue(new Date());
    const failures = async (): Promise<(string | null)[]> => (await sources.list()).map(({ failure }) => failure);
    expect([imported, await failures()]).toEqual([
      ['category b'],
      [`${files.url}/gone cannot be used: it answered 404.`, null],
    ]);
    files.serve('/gone', 'a.example,x\n');
    await sources.refreshDue(inMinutes(11));
    expect(await failures()).toEqual([null, null]);
  });

  it('is refreshed once, although several services look at the same time', async () => {
    files.serve('/a', 'a.example,x\n');
    await put('a', '/a', 10);
    const now = new Date();
    await Promise.all([sources.refreshDue(now), sources.refreshDue(now), sources.refreshDue(now)]);
    expect(imported).toEqual(['category a']);
  });

  it('comes from no file where no folder is set', async () => {
    const location = { kind: 'country' as const, name: '', locations: ['/etc/passwd'], everyMinutes: 10 };
    await expect(sources.put(location, { userId: null } as never)).rejects.toThrow(
      '"/etc/passwd" is no http(s) URL, and the service reads no files.',
    );
  });
});
