import { HELD_BEHAVIOURS } from '@jadefence/core/decide';
import { OUTCOMES } from '@jadefence/core/language';
import { LOG_FORMATS } from '@jadefence/core/logs';
import { DATASET_KINDS, listCountries } from '@jadefence/core/reference';
import { BREAKDOWNS } from '@jadefence/core/replay';
import { ROLES } from '@jadefence/contract';
import type { Argument, Command } from 'commander';
import { Failure } from '../cli-error.js';
import { loadRulebook } from '../files/load-fences.js';
import { OUTPUTS, type Streams } from '../output.js';
import { connect } from '../service.js';

const SHELLS = ['bash', 'zsh', 'fish'] as const;

/** One line of shell that calls the command for each completion, so that it is never out of date. */
const SCRIPTS: Record<(typeof SHELLS)[number], string> = {
  bash: `_jadefence() { local IFS=$'\\n'; COMPREPLY=($(compgen -W "$(jadefence complete -- "\${COMP_WORDS[@]:1:COMP_CWORD}" 2>/dev/null)" -- "\${COMP_WORDS[COMP_CWORD]}")); [ \${#COMPREPLY[@]} -gt 0 ] || COMPREPLY=($(compgen -f -- "\${COMP_WORDS[COMP_CWORD]}")); }
complete -o filenames -F _jadefence jadefence
`,
  zsh: `#compdef jadefence
_jadefence() { local -a found; found=("\${(@f)$(jadefence complete -- "\${(@)words[2,CURRENT]}" 2>/dev/null)}"); if [ -n "$found[1]" ]; then compadd -- $found; else _files; fi }
compdef _jadefence jadefence
`,
  fish: `complete -c jadefence -a '(jadefence complete -- (commandline -opc)[2..-1] (commandline -ct) 2>/dev/null)'
`,
};

export function addCompletion(program: Command, streams: Streams): void {
  program
    .command('completion')
    .description('Print the completion of a shell')
    .argument('<shell>', SHELLS.join(', '))
    .addHelpText(
      'after',
      '\nExamples:\n  source <(jadefence completion bash)\n  jadefence completion fish > ~/.config/fish/completions/jadefence.fish',
    )
    .action((shell: string) => {
      const known = SHELLS.find((candidate) => candidate === shell);
      if (!known) throw new Failure(`No completion for "${shell}".`, 2, `The shells are: ${SHELLS.join(', ')}.`);
      streams.stdout.write(SCRIPTS[known]);
    });
  program
    .command('complete', { hidden: true })
    .argument('[words...]')
    .action(async (words: string[]) => {
      const item = await complete(program, words, streams);
      streams.stdout.write(item.map((word) => `${word}\n`).join(''));
    });
}

/** Values of options that need no lookup. */
const VALUES: Record<string, readonly string[]> = {
  '--output': OUTPUTS,
  '--format': Object.keys(LOG_FORMATS),
  '--outcome': OUTCOMES,
  '--scope': ROLES,
  '--held': HELD_BEHAVIOURS,
  '--by': BREAKDOWNS,
  '--against': ['draft'],
  '--kind': DATASET_KINDS,
  '--risk': ['low', 'medium', 'high'],
  '--transport': ['tcp', 'udp', 'icmp'],
  '--method': ['GET', 'HEAD', 'POST', 'PUT', 'DELETE', 'OPTIONS', 'PATCH'],
};

/** @param words what was typed after the program's name; the last is being typed */
async function complete(program: Command, words: readonly string[], streams: Streams): Promise<string[]> {
  const current = words.at(-1) ?? '';
  const before = words.slice(0, -1);
  let command = program;
  for (const word of before) command = command.commands.find((candidate) => candidate.name() === word) ?? command;
  const option = before.at(-1) ?? '';
  const candidates =
    option === '--gate'
      ? await gateNames(before)
      : option.startsWith('--') && takesValue(command, option)
        ? (VALUES[option] ?? [])
        : current.startsWith('-')
          ? command.options.map((eachOption) => eachOption.long ?? '').concat('--help')
          : [
              ...command.commands
                .filter((eachCommand) => eachCommand.name() !== 'complete')
                .map((eachCommand) => eachCommand.name()),
              ...(command.name() === 'completion' ? SHELLS : argumentChoices(command.registeredArguments)),
              ...(await namesOfDraft(command, streams)),
              ...(await namesOfReference(command, streams)),
            ];
  return candidates.filter((candidate) => candidate.startsWith(current));
}

/** Names that the first argument of a command can be, from the draft of the service that is signed in to. */
async function namesOfDraft(command: Command, streams: Streams): Promise<readonly string[]> {
  const noun = command.parent?.name();
  const takes = command.registeredArguments[0]?.name();
  if (takes === undefined || (noun !== 'rule' && noun !== 'list' && noun !== 'fence' && noun !== 'gate')) return [];
  const draft = await connect(streams)
    .then((client) => client.draft())
    .catch(() => undefined);
  if (!draft) return [];
  if (takes === 'fence/rule')
    return draft.fences.flatMap(({ name, rules }) => rules.map((rule) => `${name}/${rule.name}`));
  if (takes === 'fence' || (noun === 'fence' && takes === 'name')) return draft.fences.map(({ name }) => name);
  if (takes === 'gate') return draft.gates.map(({ name }) => name);
  return noun === 'list' && takes === 'name' && command.name() !== 'create' ? draft.lists.map(({ name }) => name) : [];
}

/** Codes of countries, and names of feeds and applications. */
async function namesOfReference(command: Command, streams: Streams): Promise<readonly string[]> {
  const noun = command.parent?.name();
  const takes = command.registeredArguments.map((registeredArgument) => registeredArgument.name());
  if (takes.includes('country')) return listCountries().map(({ code }) => code);
  if (noun === 'application' && takes.includes('name'))
    return connect(streams)
      .then((client) => client.applications())
      .then(
        (all) => all.map(({ name }) => name),
        () => [],
      );
  if (noun === 'category' && (takes.includes('feed') || takes.includes('name')))
    return connect(streams)
      .then((client) => client.categories())
      .then(
        ({ feeds }) => feeds.map(({ name }) => name),
        () => [],
      );
  return [];
}

function takesValue(command: Command, option: string): boolean {
  return command.options.some((eachOption) => eachOption.long === option && eachOption.required);
}

function argumentChoices(args: readonly Argument[]): readonly string[] {
  return args.flatMap((arg) => arg.argChoices ?? []);
}

/** The gates of the fences that the command line names already. */
async function gateNames(words: readonly string[]): Promise<readonly string[]> {
  const path = words[words.indexOf('--fences') + 1];
  if (!words.includes('--fences') || path === undefined) return [];
  return loadRulebook(path, undefined).then(
    ({ rulebook }) => rulebook.gates.map(({ statement }) => statement.name),
    () => [],
  );
}
