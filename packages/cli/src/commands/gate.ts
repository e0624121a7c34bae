import { fieldsOf, NEW_GATE, readGate, writeGate, type Edit, type GateFields } from '@jadefence/core/edit';
import { parseFences, PATH_FORMS, type Inspection, type PathForm } from '@jadefence/core/language';
import { suggestNearest } from '@jadefence/core/text';
import { Option, type Command } from 'commander';
import { EXIT, Failure } from '../cli-error.js';
import { editDraft } from '../edit-draft.js';
import {
  parseName,
  printRecord,
  RECORD_FORMATS,
  TABLE_FORMATS,
  writeRows,
  type OutputOption,
  type Output,
  type Streams,
} from '../output.js';
import { describeDiagnostics } from '../render/diagnostics.js';
import { connect } from '../service.js';
import { positionOf, withPosition, type PositionOptions } from './rule.js';

/** What a gate can have; what is not given stays as it is. */
export interface GateOptions extends OutputOption {
  readonly hosts?: readonly string[];
  readonly clients?: readonly string[];
  /** False for `--no-header`. */
  readonly header?: string | false;
  readonly trusting?: readonly string[];
  /** False for `--no-paths`. */
  readonly paths?: readonly PathForm[] | false;
  /** False for `--no-inspection`. */
  readonly inspection?: readonly string[] | false;
  readonly fences?: readonly string[];
  readonly otherwise?: string;
}

export function addGate(gate: Command, streams: Streams): void {
  gate
    .command('list')
    .description('List the gates of the draft')
    .option(...TABLE_FORMATS)
    .addHelpText('after', '\nExamples:\n  jadefence gate list')
    .action(async ({ output }: { output: Output }) => {
      const { gates } = await (await connect(streams)).draft();
      writeRows(streams, output, gates, {
        columns: {
          gate: (item) => item.name,
          direction: (item) => item.direction,
          protects: (item) => [...item.hosts, ...item.clients].join(', '),
          fences: (item) => item.fences.join(', '),
          otherwise: (item) => item.otherwise,
        },
        empty: 'The draft has no gates yet.',
      });
    });
  gate
    .command('show')
    .description('Show a gate of the draft as fence text')
    .argument('<gate>', 'name of the gate')
    .option(...RECORD_FORMATS)
    .addHelpText('after', '\nExamples:\n  jadefence gate show tickets')
    .action(async (name: string, { output }: OutputOption) => {
      const text = await gateText(name, streams);
      printRecord(streams, output, fieldsOf(readGate(text)!), text);
    });
  withGateOptions(gate.command('create'), true)
    .description('Create a gate in the draft')
    .argument('<name>', 'name of the gate', parseName)
    .addHelpText(
      'after',
      `
Examples:
  jadefence gate create tickets --hosts tickets.larkmoor.example --header x-forwarded-for --trusting edge-proxies
  jadefence gate create guests --clients 198.18.48.0/22 --inspection 'exempt when category in health, finance' 'otherwise inspect'`,
    )
    .action((name: string, options: GateOptions) => {
      const direction = options.clients === undefined ? 'inbound' : 'outbound';
      const text = changed({ ...NEW_GATE, name, direction }, options);
      return editDraft([{ kind: 'put', text, part: 'gate', isNew: true }], options.output, streams);
    });
  withGateOptions(gate.command('set'), false)
    .description('Set what a gate of the draft covers and does')
    .argument('<gate>', 'name of the gate')
    .addHelpText(
      'after',
      `
Examples:
  jadefence gate set tickets --paths fold-case merge-slashes
  jadefence gate set gallery-wifi --inspection 'exempt when category in health' 'otherwise inspect'
  jadefence gate set studio --otherwise 'block 451' --no-header`,
    )
    .action(async (name: string, options: GateOptions) => {
      const old = readGate(await gateText(name, streams))!;
      const { text, problems } = writeGate(withOptions(fieldsOf(old), options), old);
      refuseProblems(problems);
      await editDraft([{ kind: 'put', text, part: 'gate' }], options.output, streams);
    });
  gate
    .command('delete')
    .description('Delete a gate of the draft')
    .argument('<gate>', 'name of the gate')
    .option(...RECORD_FORMATS)
    .addHelpText('after', '\nExamples:\n  jadefence gate delete reading-room')
    .action((name: string, { output }: OutputOption) =>
      editDraft([{ kind: 'remove', part: 'gate', name }], output, streams),
    );
  addStack(gate, streams);
}

/** The fences of a gate, and its place among the others. */
function addStack(gate: Command, streams: Streams): void {
  withPosition(gate.command('attach'))
    .description('Attach fences to a gate, or move them there')
    .argument('<gate>', 'name of the gate')
    .argument('<fences...>', 'names of the fences, in their order')
    .option(...RECORD_FORMATS)
    .addHelpText('after', '\nExamples:\n  jadefence gate attach tickets house --top')
    .action((name: string, fences: string[], options: OutputOption & PositionOptions) => {
      const position = positionOf(options, 'bottom');
      // Each is put right there, so that the first of several comes last.
      const isReversed = position.at === 'top' || position.at === 'below';
      return editDraft(
        (isReversed ? [...fences].reverse() : fences).map((fence): Edit => ({
          kind: 'attach',
          gate: name,
          fence,
          position,
        })),
        options.output,
        streams,
      );
    });
  withPosition(gate.command('move'))
    .description('Move a gate: of those that fit equally, the first judges')
    .argument('<gate>', 'name of the gate')
    .option(...RECORD_FORMATS)
    .addHelpText('after', '\nExamples:\n  jadefence gate move tickets --top')
    .action((name: string, options: OutputOption & PositionOptions) =>
      editDraft([{ kind: 'move-gate', gate: name, position: positionOf(options) }], options.output, streams),
    );
  gate
    .command('detach')
    .description('Detach fences from a gate')
    .argument('<gate>', 'name of the gate')
    .argument('<fences...>', 'names of the fences')
    .option(...RECORD_FORMATS)
    .addHelpText('after', '\nExamples:\n  jadefence gate detach tickets house')
    .action((name: string, fences: string[], { output }: OutputOption) =>
      editDraft(
        fences.map((fence): Edit => ({ kind: 'detach', gate: name, fence })),
        output,
        streams,
      ),
    );
}

export function withGateOptions(command: Command, isNew: boolean): Command {
  command
    .option('--hosts <host...>', 'inbound: hosts that it protects, as in a fence: shop.example, =shop.example')
    .option('--clients <client...>', 'outbound: addresses, networks or lists of addresses that go out through it')
    .option('--header <name>', 'header that has the client behind proxies, such as x-forwarded-for')
    .option('--trusting <proxy...>', 'proxies that are trusted with it: addresses, networks or lists')
    .addOption(new Option('--paths <form...>', 'how the server behind it reads paths').choices([...PATH_FORMS]))
    .option(
      '--inspection <rule...>',
      'outbound: what is inspected, in order, and "otherwise inspect" or "otherwise exempt"',
    )
    .option('--fences <fence...>', 'its fences, in order')
    .option('--otherwise <ending>', 'where no fence decides: allow, block, "block 451", \'redirect "https://..."\'');
  if (!isNew)
    command
      .option('--no-header', 'the connection has the client')
      .option('--no-paths', 'the server reads paths as they are')
      .option('--no-inspection', 'the log has whether a request was inspected');
  return command.option(...RECORD_FORMATS);
}

/** @throws Failure where the draft has no such gate */
export async function gateText(name: string, streams: Streams): Promise<string> {
  const { parts } = await (await connect(streams)).draftSources();
  const gates = parts.filter(({ kind }) => kind === 'gate');
  const part = gates.find((one) => one.name === name);
  if (part) return part.text;
  const names = gates.map((one) => one.name);
  throw new Failure(
    `The draft has no gate "${name}".`,
    EXIT.wrongInput,
    suggestNearest(name, names) ??
      (names.length === 0 ? 'Create one: gate create.' : `The gates are: ${names.join(', ')}.`),
  );
}

/** @throws Failure where they make no gate */
function changed(fields: GateFields, options: GateOptions): string {
  const { text, problems } = writeGate(withOptions(fields, options));
  refuseProblems(problems);
  return text;
}

export function refuseProblems(problems: ReturnType<typeof writeGate>['problems']): void {
  if (problems.length > 0)
    throw new Failure(['The gate cannot be read:', ...describeDiagnostics(problems)].join('\n'), EXIT.wrongInput);
}

/** @throws Failure where an option does not fit the gate */
export function withOptions(fields: GateFields, options: GateOptions): GateFields {
  const { hosts, clients, header, trusting, paths, inspection, fences, otherwise } = options;
  const isInbound = fields.direction === 'inbound';
  const wrong = isInbound
    ? clients !== undefined || inspection !== undefined
      ? 'The gate is inbound: it has hosts, sees everything, and has neither clients nor inspection.'
      : undefined
    : hosts !== undefined
      ? 'The gate is outbound: it has clients and no hosts.'
      : undefined;
  if (wrong !== undefined) throw new Failure(wrong, EXIT.wrongInput, 'Leave the option out, or create another gate.');
  const headerNow = header === undefined ? fields.header : header === false ? '' : header;
  const trustingNow = header === false ? [] : (trusting ?? fields.trusting);
  if ((headerNow === '') !== (trustingNow.length === 0))
    throw new Failure(
      'A header is believed from trusted proxies only.',
      EXIT.wrongInput,
      'Give both: --header x-forwarded-for --trusting edge-proxies.',
    );
  return {
    ...fields,
    ...(hosts ? { hosts } : {}),
    ...(clients ? { clients } : {}),
    header: headerNow,
    trusting: trustingNow,
    ...(paths === undefined ? {} : { pathForms: paths === false ? [] : paths }),
    ...(inspection === undefined ? {} : { inspection: inspection === false ? undefined : readInspection(inspection) }),
    ...(fences ? { fences } : {}),
    ...(otherwise === undefined ? {} : { otherwise }),
  };
}

/** @throws Failure where a rule of it cannot be read */
function readInspection(rules: readonly string[]): Inspection {
  const text = `gate x outbound {\nclients 192.0.2.1\ninspect {\n${rules.join('\n')}\n}\notherwise allow\n}`;
  const { file, diagnostics } = parseFences(text, 'inspection');
  const [statement] = file.statements;
  if (diagnostics.length === 0 && statement?.kind === 'gate' && statement.inspection) return statement.inspection;
  throw new Failure(
    ['The inspection cannot be read:', ...describeDiagnostics(diagnostics)].join('\n'),
    EXIT.wrongInput,
    "As --inspection 'exempt when category in health' 'otherwise inspect'.",
  );
}
