import { ROLES, type Role } from '@jadefence/contract';
import { InvalidArgumentError, type Command } from 'commander';
import {
  RECORD_FORMATS,
  parseWhole,
  TABLE_FORMATS,
  logMessage,
  printRecord,
  writeRows,
  type OneOutput,
  type Output,
  type Streams,
} from '../output.js';
import { connect } from '../service.js';

interface TokenOptions {
  readonly scope: Role;
  readonly days?: number;
  readonly unmask?: true;
  readonly output: OneOutput;
}

export function addAdmin(admin: Command, streams: Streams): void {
  admin
    .command('reset-password')
    .description('Reset the password of a user')
    .argument('[name]', 'name of the user', 'admin')
    .option(...RECORD_FORMATS)
    .addHelpText('after', '\nExamples:\n  jadefence admin reset-password')
    .action(async (name: string, { output }: { output: OneOutput }) => {
      const { password } = await (await connect(streams)).resetPassword(name);
      logMessage(streams, `The new password of ${name}, shown only this once:`);
      printRecord(streams, output, { name, password }, password);
    });
  const token = admin.command('token').description('Manage tokens of scripts');
  token
    .command('create')
    .description('Create a token')
    .argument('<name>', 'what the token is for')
    .option('--scope <scope>', `what it may do: ${ROLES.join(', ')}`, parseRole, 'viewer')
    .option('--unmask', 'show true values where fields are masked')
    .option('--days <days>', 'days until it expires (default: 90)', parseWhole)
    .option(...RECORD_FORMATS)
    .addHelpText('after', '\nExamples:\n  jadefence admin token create pipeline --scope editor --days 90')
    .action(async (name: string, { scope, days, unmask, output }: TokenOptions) => {
      const created = await (await connect(streams)).createTokenFor({ name, scope, expiresInDays: days, unmask });
      logMessage(
        streams,
        `Token "${created.name}" may do what a ${created.scope} does${created.expiresAt ? ` until ${created.expiresAt.slice(0, 10)}` : ''}. It is shown only this once:`,
      );
      printRecord(streams, output, created, created.token);
    });
  token
    .command('list')
    .description('List the tokens')
    .option(...TABLE_FORMATS)
    .addHelpText('after', '\nExamples:\n  jadefence admin token list')
    .action(async ({ output }: { output: Output }) => {
      const tokens = await (await connect(streams)).tokens();
      writeRows(streams, output, tokens, {
        columns: {
          'number': (accessToken) => String(accessToken.id),
          'name': (accessToken) => accessToken.name,
          'user': (accessToken) => accessToken.user,
          'scope': (accessToken) => accessToken.scope,
          'true values': (accessToken) => (accessToken.unmask ? 'yes' : ''),
          'made': (accessToken) => accessToken.createdAt.slice(0, 10),
          'expires': (accessToken) => accessToken.expiresAt?.slice(0, 10) ?? 'never',
          'last used': (accessToken) => accessToken.lastUsedAt?.slice(0, 16).replace('T', ' ') ?? 'never',
        },
        figures: ['number'],
        empty: 'There is no token.',
      });
    });
  token
    .command('revoke')
    .description('Revoke a token')
    .argument('<number>', 'number of the token', parseWhole)
    .option(...RECORD_FORMATS)
    .addHelpText('after', '\nExamples:\n  jadefence admin token revoke 3')
    .action(async (id: number, { output }: { output: OneOutput }) => {
      await (await connect(streams)).revokeToken(id);
      printRecord(streams, output, { revoked: id }, `Token ${id} is revoked.`);
    });
}

function parseRole(text: string): Role {
  const role = ROLES.find((candidate) => candidate === text);
  if (!role) throw new InvalidArgumentError(`Expected one of ${ROLES.join(', ')}.`);
  return role;
}
