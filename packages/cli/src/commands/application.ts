import type { ApplicationInfo } from '@jadefence/contract';
import { describeChange } from '@jadefence/core/edit';
import { identifyApplications, type Identified } from '@jadefence/core/explain';
import { buildSyntheticFlow, normalizeRequest } from '@jadefence/core/request';
import { readApplicationCatalogue } from '@jadefence/files';
import { readFile } from 'node:fs/promises';
import { basename } from 'node:path';
import { InvalidArgumentError, type Command } from 'commander';
import { confirm } from '../prompts.js';
import { Failure } from '../cli-error.js';
import { loadRulebook } from '../files/load-fences.js';
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
import { renderChanges } from '../render/changes.js';
import { printTable } from '../render/text.js';
import { connect } from '../service.js';

interface ListOptions {
  readonly search?: string;
  readonly category?: string;
  readonly risk?: string;
  readonly port?: string;
  readonly output: Output;
}

export function addApplication(application: Command, streams: Streams): void {
  application
    .command('list')
    .description('List applications, built-in ones included')
    .option('--search <text>', 'those whose name or title has this text')
    .option('--category <name>', 'those of a category')
    .option('--risk <risk>', 'those of a risk: low, medium or high')
    .option('--port <port>', 'those with a default port, such as 443 or tcp/443')
    .option(...TABLE_FORMATS)
    .addHelpText(
      'after',
      '\nExamples:\n  jadefence application list --risk high\n  jadefence application list --port 53',
    )
    .action((options: ListOptions) => listApplications(options, streams));
  application
    .command('show')
    .description('Show an application and its uses')
    .argument('<name>', 'name of the application')
    .option(...RECORD_FORMATS)
    .addHelpText('after', '\nExamples:\n  jadefence application show dns')
    .action(async (name: string, { output }: { output: OneOutput }) => {
      const all = await (await connect(streams)).applications();
      const item = all.find((applicationInfo) => applicationInfo.name === name);
      if (!item)
        throw new Failure(`There is no application "${name}".`, 2, 'jadefence application list shows those there are.');
      printRecord(streams, output, item, renderApplication(item));
    });
  application
    .command('import')
    .description('Add or replace applications of the draft')
    .argument('<file>', 'YAML with the key "applications", or fence text')
    .option('--yes', 'skip the confirmation', false)
    .option(...RECORD_FORMATS)
    .addHelpText('after', '\nExamples:\n  jadefence application import catalogue.yaml')
    .action((path: string, options: { yes: boolean; output: OneOutput }) => importCatalogue(path, options, streams));
  application
    .command('identify')
    .description('Identify the application of some traffic')
    .option('--host <host>', 'requested host')
    .option('--url <url>', 'requested URL')
    .option('--port <port>', 'destination port', parseWhole)
    .option('--transport <transport>', 'tcp, udp or icmp', parseTransport)
    .option('--agent <agent>', 'User-Agent')
    .option('--payload <hex>', 'first bytes as pairs of hexadecimal digits, or @FILE for the bytes of a file')
    .option('--fences <path>', 'use the fences of a file or folder instead of the draft')
    .option(...RECORD_FORMATS)
    .addHelpText(
      'after',
      '\nExamples:\n  jadefence application identify --port 53 --transport udp --payload @query.bin\n  jadefence application identify --url https://pictures.example/upload --fences ./fences',
    )
    .action((options: IdentifyOptions) => identify(options, streams));
}

async function importCatalogue(
  path: string,
  { yes, output }: { yes: boolean; output: OneOutput },
  streams: Streams,
): Promise<void> {
  const given = await readFile(path, 'utf8').catch((error: NodeJS.ErrnoException) => {
    throw new Failure(`"${path}" cannot be read (${error.code}).`);
  });
  const isYaml = /\.ya?ml$/i.test(path);
  const { text, problems } = isYaml ? readApplicationCatalogue(given) : { text: given, problems: [] };
  if (problems.length > 0) throw new Failure(problems.map((problem) => `${path}: ${problem}`).join('\n'));
  const file = isYaml ? path.replace(/\.ya?ml$/i, '.fence') : path;
  const sources = { fenceFiles: [{ path: basename(file), text }], namedFiles: [] };
  const client = await connect(streams);
  const { version, changes } = await client.previewImport(sources, true);
  const described = changes.map(describeChange);
  if (described.length === 0)
    return printRecord(streams, output, described, 'Nothing changed: the draft is so already.');
  logMessage(streams, renderChanges(described, streams));
  await confirm('Change the draft like this?', yes, streams);
  await client.importFences(sources, true, version);
  printRecord(streams, output, described, `The draft has ${described.length} changes more.`);
}

function parseTransport(text: string): 'tcp' | 'udp' | 'icmp' {
  if (text === 'tcp' || text === 'udp' || text === 'icmp') return text;
  throw new InvalidArgumentError('Expected tcp, udp or icmp.');
}

async function listApplications(
  { search, category, risk, port, output }: ListOptions,
  streams: Streams,
): Promise<void> {
  const all = await (await connect(streams)).applications();
  const text = search?.toLowerCase();
  const item = all.filter(
    (application) =>
      (text === undefined || `${application.name} ${application.title ?? ''}`.toLowerCase().includes(text)) &&
      (category === undefined || application.category === category) &&
      (risk === undefined || application.risk === risk) &&
      (port === undefined || application.ports.some((known) => known === port || known.endsWith(`/${port}`))),
  );
  writeRows(streams, output, item, {
    columns: {
      application: (application) => application.name,
      title: (application) => application.title ?? '',
      category: (application) => application.category ?? '',
      risk: (application) => application.risk ?? '',
      ports: (application) => application.ports.join(', '),
      over: (application) => application.over ?? '',
      needs: (application) => application.needs.join(', '),
    },
    empty: 'No matching applications.',
  });
}

function renderApplication(application: ApplicationInfo): string {
  const { name, title, category, risk, ports, needs, over, signatures, isBuiltIn, usedBy } = application;
  const rows = [
    ...(title === undefined ? [] : [['title', title]]),
    ...(category === undefined ? [] : [['category', category]]),
    ...(risk === undefined ? [] : [['risk', risk]]),
    ...(ports.length > 0 ? [['ports', ports.join(', ')]] : []),
    ...(over === undefined ? [] : [['over', over]]),
    ...(needs.length > 0 ? [['needs', needs.join(', ')]] : []),
    ...signatures.map((signature) => ['recognised', `when ${signature}`]),
    ['defined', isBuiltIn ? 'built in' : 'in the draft'],
    ['used by', usedBy.join(', ') || 'nothing'],
  ];
  return printTable(['application', name], rows);
}

interface IdentifyOptions {
  readonly host?: string;
  readonly url?: string;
  readonly port?: number;
  readonly transport?: 'tcp' | 'udp' | 'icmp';
  readonly agent?: string;
  readonly payload?: string;
  readonly fences?: string;
  readonly output: OneOutput;
}

async function identify({ fences, output, ...settings }: IdentifyOptions, streams: Streams): Promise<void> {
  if (Object.keys(settings).length === 0)
    throw new Failure('The traffic is not described.', 2, 'Give a host, URL, port or the first bytes.');
  const flow = {
    ...settings,
    ...(settings.payload === undefined ? {} : { payload: await readPayload(settings.payload) }),
  };
  const identified = fences
    ? identifyApplications(await loadRulebook(fences, streams), normalizeRequest(buildSyntheticFlow(flow, Date.now())))
    : await (await connect(streams)).identifyApplications(flow);
  printRecord(streams, output, identified, renderIdentified(identified));
}

const MAX_PAYLOAD_BYTES = 2048;

async function readPayload(text: string): Promise<string> {
  if (text.startsWith('@')) {
    const bytes = await readFile(text.slice(1)).catch((error: NodeJS.ErrnoException) => {
      throw new Failure(`"${text.slice(1)}" cannot be read (${error.code}).`);
    });
    return bytes.subarray(0, MAX_PAYLOAD_BYTES).toString('hex');
  }
  if (/^(\s*[0-9a-f]{2})+\s*$/i.test(text)) return text;
  throw new Failure(`Found "${text}", expected bytes as pairs of hexadecimal digits such as "16 03 01", or @FILE.`);
}

function renderIdentified({ gate, certain, undecided, signatures }: Identified): string {
  const rows = [
    ['could be', undecided.join(', ') || 'nothing else'],
    ...signatures.map(({ application, signature, truth }) => [
      truth === 'true' ? 'because' : 'cannot be known',
      `${application}: ${signature}`,
    ]),
    ...(gate === undefined ? [] : [['seen at', gate]]),
  ];
  return printTable(['recognised as', certain.join(', ') || 'nothing for certain'], rows);
}
