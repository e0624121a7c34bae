import type { DecidedRecord } from '@jadefence/core/replay';
import { fileWriter, ParquetWriter, schemaFromColumnData, type BasicType } from 'hyparquet-writer';

const ROW_GROUP = 50_000;
/** The time of the request, which leaves as a time and not as text. */
const TIME = 'timestamp';

type Kind = 'STRING' | 'INT64' | 'DOUBLE' | 'BOOLEAN' | 'TIMESTAMP' | 'JSON';

/**
 * Writes decided records as Apache Parquet: a column an attribute, in the order in which they first come. Numbers, texts
 * and booleans have their types, lists and what is of several kinds are JSON, and none and unknown are null.
 * @param read goes through all records; called twice, since a file begins with its columns
 * @returns how many records there were
 */
export async function writeParquet(path: string, read: () => AsyncIterable<readonly DecidedRecord[]>): Promise<number> {
  const kinds = new Map<string, Kind | undefined>();
  for await (const records of read())
    for (const record of records)
      for (const [name, value] of Object.entries(record))
        kinds.set(name, joinKinds(kinds.get(name), kindOf(name, value)));
  const columns = [...kinds].map(([name, kind]) => ({ name, type: (kind ?? 'STRING') satisfies BasicType }));
  const writer = new ParquetWriter({
    writer: fileWriter(path),
    schema: schemaFromColumnData({ columnData: columns.map((column) => ({ ...column, data: [] })) }),
  });
  let numRecords = 0;
  let waiting: DecidedRecord[] = [];
  const flush = async (): Promise<void> => {
    await writer.write({
      columnData: columns.map(({ name, type }) => ({
        name,
        type,
        data: waiting.map((record) => cellOf(type, record[name])),
      })),
      rowGroupSize: ROW_GROUP,
    });
    numRecords += waiting.length;
    waiting = [];
  };
  for await (const records of read()) {
    for (const record of records) waiting.push(record);
    if (waiting.length >= ROW_GROUP) await flush();
  }
  if (waiting.length > 0) await flush();
  await writer.finish();
  return numRecords;
}

function kindOf(name: string, value: DecidedRecord[string]): Kind | undefined {
  if (value === null) return undefined;
  if (name === TIME) return 'TIMESTAMP';
  if (typeof value === 'string') return 'STRING';
  if (typeof value === 'boolean') return 'BOOLEAN';
  if (typeof value === 'number') return Number.isSafeInteger(value) ? 'INT64' : 'DOUBLE';
  return 'JSON';
}

function joinKinds(one: Kind | undefined, other: Kind | undefined): Kind | undefined {
  if (one === undefined || other === undefined || one === other) return one ?? other;
  const isNumber = (kind: Kind): boolean => kind === 'INT64' || kind === 'DOUBLE';
  return isNumber(one) && isNumber(other) ? 'DOUBLE' : 'JSON';
}

function cellOf(kind: Kind, value: DecidedRecord[string] | undefined): unknown {
  if (value === null || value === undefined) return null;
  if (kind === 'INT64') return BigInt(value as number);
  if (kind === 'TIMESTAMP') return new Date(value as string);
  return value;
}
