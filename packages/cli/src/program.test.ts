import { PassThrough } from 'node:stream';
import type { Command } from 'commander';
import { describe, expect, it } from 'vitest';
import { buildProgram } from './program.js';
import { guard } from './render/terminal.js';

const streams = guard({ stdin: new PassThrough(), stdout: new PassThrough(), stderr: new PassThrough(), env: {} });

function allBelow(command: Command): Command[] {
  return command.commands.flatMap((eachCommand) => [eachCommand, ...allBelow(eachCommand)]);
}

describe('the help of the command line', () => {
  it('describes each command by an imperative phrase of under 60 characters', () => {
    const commands = allBelow(buildProgram(streams));
    expect(commands.length).toBeGreaterThan(80);
    const long = commands.map((eachCommand) => eachCommand.description()).filter((text) => text.length >= 60);
    expect(long).toEqual([]);
    const verbs = new Set(commands.map((eachCommand) => eachCommand.description().split(' ')[0]!));
    expect([...verbs].toSorted()).toMatchInlineSnapshot(`
      [
        "",
        "Activate",
        "Add",
        "Attach",
        "Cancel",
        "Clone",
        "Compare",
        "Correct",
        "Create",
        "Delete",
        "Detach",
        "Discard",
        "Explain",
        "Export",
        "Find",
        "Format",
        "Identify",
        "Import",
        "Judge",
        "Let",
        "List",
        "Look",
        "Manage",
        "Move",
        "Preview",
        "Print",
        "Protect",
        "Publish",
        "Put",
        "Read",
        "Redo",
        "Refresh",
        "Remove",
        "Rename",
        "Replace",
        "Replay",
        "Reset",
        "Review",
        "Revoke",
        "Run",
        "Save",
        "Set",
        "Show",
        "Sign",
        "Stop",
        "Suggest",
        "Summarise",
        "Take",
        "Try",
        "Turn",
        "Undo",
        "Verify",
      ]
    `);
  });

  it('describes each option by a phrase of under 90 characters', () => {
    const options = allBelow(buildProgram(streams)).flatMap((command) =>
      command.options.map(({ flags, description }) => `${command.name()} ${flags}: ${description}`),
    );
    expect(options.filter((text) => text.split(': ').slice(1).join(': ').length >= 90)).toEqual([]);
  });
});
