import { randomBytes } from 'node:crypto';
import pg from 'pg';

/** The administrative database of the cluster that `npm test` starts. */
export function testClusterUrl(): string {
  const url = process.env['JADEFENCE_TEST_DATABASE_URL'];
  if (!url) throw new Error('JADEFENCE_TEST_DATABASE_URL is not set. Run the tests with npm test.');
  return url;
}

async function administer(sql: string): Promise<void> {
  const client = new pg.Client({ connectionString: testClusterUrl() });
  await client.connect();
  await client.query(sql);
  await client.end();
}

/** Makes a database; its name is new. @returns its URL, and how to drop it */
export async function createTestDatabase(): Promise<{ url: string; drop(): Promise<void> }> {
  const name = `test_${randomBytes(6).toString('hex')}`;
  await administer(`create database ${name}`);
  const url = new URL(testClusterUrl());
  url.pathname = `/${name}`;
  return { url: url.href, drop: () => administer(`drop database ${name} with (force)`) };
}
