/**
 * `npm start -- reset-password [NAME]`: a new generated password for a user, for when no one can sign in any more. Works
 * on the database, so it needs its URL and not the service.
 */
import { loadAuditKey } from './database/audit.js';
import { migrate, openDatabase } from './database/database.js';
import { Users } from './features/users/users.js';
import { runOrExplain } from './bootstrap.js';

await runOrExplain(async ({ databaseUrl, auditKeyFile }) => {
  const name = process.argv[2] ?? 'admin';
  const db = openDatabase(databaseUrl, 2);
  try {
    await migrate(db);
    await loadAuditKey(db, auditKeyFile);
    const { password } = await new Users(db).resetPassword({ userId: null }, name);
    process.stderr.write(`The new password of ${name}, shown only this once:\n`);
    process.stdout.write(`${password}\n`);
  } finally {
    await db.destroy();
  }
});
