/** Who added the entries of a list, from the audit trail, which has the text of the list before and after each write. */
import type { EntryOrigin } from '@jadefence/contract';
import { findEntryOrigins, findListFile, type Configuration, type ListVersion } from '@jadefence/core/edit';
import type { Change } from '@jadefence/core/language';
import type { Database } from '../../database/database.js';
import { UserModel } from '../../database/models.js';
import { toProblem } from '../draft/check.js';

/** A change of one part, as the audit trail keeps it. */
interface Written {
  readonly id: number;
  readonly at: Date;
  readonly userId: number | null;
  readonly change: Change;
}

/**
 * From the earliest write on. A list that was renamed has the writes of its earlier names, too.
 * @throws ProblemError where there is no such list
 */
export async function findOrigins(db: Database, configuration: Configuration, name: string): Promise<EntryOrigin[]> {
  const path = toProblem(() => findListFile(configuration, name));
  const ofFile = path === undefined ? [] : await readWrites(db, 'file', path);
  const writes = [...(await readWritesOfList(db, name)), ...ofFile].sort((a, b) => a.id - b.id);
  const origins = findEntryOrigins(versionsOf(writes));
  const lines = new Map<number, string[]>();
  for (const [line, index] of origins) {
    const known = lines.get(index);
    if (known) known.push(line);
    else lines.set(index, [line]);
  }
  const users = await UserModel.query(db).findByIds([...new Set(writes.flatMap(({ userId }) => userId ?? []))]);
  const nameOf = new Map(users.map((user) => [user.id, user.name]));
  return writes.flatMap(({ at, userId }, index) => {
    const added = lines.get(index);
    if (!added) return [];
    return [
      { addedBy: (userId === null ? undefined : nameOf.get(userId)) ?? null, addedAt: at.toISOString(), lines: added },
    ];
  });
}

/** The list after each write; of its two parts the one that a write left alone is as it was. */
function versionsOf(writes: readonly Written[]): ListVersion[] {
  let last: ListVersion = {};
  return writes.map(({ change: { part, after } }) => {
    last = part === 'file' ? { ...last, fileText: after } : { ...last, text: after };
    return last;
  });
}

async function readWritesOfList(db: Database, name: string, before = Number.MAX_SAFE_INTEGER): Promise<Written[]> {
  const writes = (await readWrites(db, 'list', name)).filter(({ id }) => id <= before);
  // What was there before under the name it has now was another list.
  const renamed = writes.findLastIndex(({ change }) => change.wasNamed !== undefined);
  if (renamed < 0) return writes;
  const { id, change } = writes[renamed]!;
  const earlier = await readWritesOfList(db, change.wasNamed!, id - 1);
  return [...earlier, ...writes.slice(renamed)];
}

async function readWrites(db: Database, part: 'list' | 'file', name: string): Promise<Written[]> {
  const { rows } = await db.raw<{ rows: { id: number; at: Date; user_id: number | null; change: Change }[] }>(
    `select id, at, user_id, change from audit, jsonb_array_elements(detail -> 'changes') change
     where what like 'draft.%' and jsonb_typeof(detail -> 'changes') = 'array'
       and change ->> 'part' = ? and change ->> 'name' = ?
     order by id`,
    [part, name],
  );
  return rows.map(({ user_id: userId, ...row }) => ({ ...row, userId }));
}
