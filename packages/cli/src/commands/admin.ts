import { ROLES, type Role } from '@jadefence/contract';
import { InvalidArgumentError, type Command } from 'commander';
import { parseOutput, parseWhole, say, writeJson, type Output, type Streams } from '../output.js';
import { printTable } from '../render/text.js';
import { connect } from '../service.js';

export function addAdmin(admin: Command, streams: Streams): void {
  admin
    .command('reset-password')
    .description('Give a user a new generated password')
    .argument('[name]', 'name of the user', 'admin')
    .addHelpText('after', '\nExamples:\n  jadefence admin reset-password')
    .action(async (name: string) => {
      const { password } = await (await connect(streams)).resetPassword(name);
      say(streams, `The new password of ${name}, shown only this once:`);
      streams.stdout.write(`${password}\n`);
    });
  const token = admin.command('token').description('Tokens for scripts and other machines');
  token
    .command('create')
    .description('Make a token')
    .argument('<name>', 'what the token is for')
    .option('--scope <scope>', `what it may do: ${ROLES.join(', ')}`, parseRole, 'viewer')
    .option('--days <days>', 'days after which it ends (default: never)', parseWhole)
    .addHelpText('after', '\nExamples:\n  jadefence admin token create pipeline --scope editor --days 90')
    .action(async (name: string, { scope, days }: { scope: Role; days?: number }) => {
      const created = await (await connect(streams)).createTokenFor({ name, scope, expiresInDays: days });
      say(streams, `Token "${created.name}" may do what a ${created.scope} does${created.expiresAt ? ` until ${created.expiresAt.slice(0, 10)}` : ''}. It is shown only this once:`);
      streams.stdout.write(`${created.token}\n`);
    });
  token
    .command('list')
    .description('List the tokens')
    .option('--output <output>', 'table or json', parseOutput, 'table')
    .addHelpText('after', '\nExamples:\n  jadefence admin token list')
    .action(async ({ output }: { output: Output }) => {
      const tokens = await (await connect(streams)).tokens();
      if (output === 'json') return writeJson(streams, tokens);
      const rows = tokens.map((one) => [String(one.id), one.name, one.user, one.scope, one.createdAt.slice(0, 10), one.expiresAt?.slice(0, 10) ?? 'never']);
      streams.stdout.write(`${printTable(['number', 'name', 'user', 'scope', 'made', 'ends'], rows, [0])}\n`);
    });
  token
    .command('revoke')
    .description('End a token at once')
    .argument('<number>', 'number of the token', parseWhole)
    .addHelpText('after', '\nExamples:\n  jadefence admin token revoke 3')
    .action(async (id: number) => {
      await (await connect(streams)).revokeToken(id);
      streams.stdout.write(`Token ${id} is revoked.\n`);
    });
}

function parseRole(text: string): Role {
  const role = ROLES.find((candidate) => candidate === text);
  if (!role) throw new InvalidArgumentError(`Expected one of ${ROLES.join(', ')}.`);
  return role;
}
