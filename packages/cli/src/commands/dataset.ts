import { listAll } from '@jadefence/contract';
import { DATASET_KINDS, type DatasetKind } from '@jadefence/core/reference';
import { InvalidArgumentError, type Command } from 'commander';
import { confirm } from '../prompts.js';
import {
  RECORD_FORMATS,
  parseWhole,
  TABLE_FORMATS,
  printRecord,
  writeRows,
  type OneOutput,
  type Output,
  type Streams,
} from '../output.js';
import { importReference, activateDataset, type ImportOptions } from '../reference.js';
import { formatCount, formatMinute } from '../render/text.js';
import { connect } from '../service.js';
import { stateOf } from './country.js';
import { addRefresh } from './refresh.js';

export function addDataset(dataset: Command, streams: Streams): void {
  dataset
    .command('list')
    .description('List imported tables, feeds and lists')
    .option(...TABLE_FORMATS)
    .addHelpText('after', '\nExamples:\n  jadefence dataset list')
    .action(({ output }: { output: Output }) => listDatasets(output, streams));
  dataset
    .command('import')
    .description('Import the entries of a large list')
    .argument('<name>', 'name of the dataset')
    .argument('<path...>', 'files with one entry a line, a folder or an archive of them; of domains also hosts files')
    .requiredOption('--kind <kind>', `what the entries are: ${DATASET_KINDS.join(', ')}`, parseKind)
    .option('--yes', 'confirm a large change', false)
    .option(...RECORD_FORMATS)
    .addHelpText('after', '\nExamples:\n  jadefence dataset import tout-networks touts.txt --kind addresses')
    .action(async (name: string, paths: string[], { kind, ...options }: ImportOptions & { kind: DatasetKind }) =>
      importReference(
        await connect(streams),
        paths,
        { kind: 'list', name, listKind: kind },
        { ...options, replay: false },
        streams,
      ),
    );
  dataset
    .command('use')
    .description('Activate an earlier import')
    .argument('<number>', 'number of the dataset', parseWhole)
    .option('--yes', 'skip the confirmation', false)
    .option(...RECORD_FORMATS)
    .addHelpText('after', '\nExamples:\n  jadefence dataset use 4')
    .action(async (id: number, options: { yes: boolean; output: OneOutput }) =>
      activateDataset(await connect(streams), id, options, streams),
    );
  dataset
    .command('delete')
    .description('Delete an inactive dataset')
    .argument('<number>', 'number of the dataset', parseWhole)
    .option('--yes', 'skip the confirmation', false)
    .option(...RECORD_FORMATS)
    .addHelpText('after', '\nExamples:\n  jadefence dataset delete 4')
    .action(async (id: number, { yes, output }: { yes: boolean; output: OneOutput }) => {
      const client = await connect(streams);
      const { name, kind } = await client.dataset(id);
      await confirm(`Delete dataset ${id} (${kind} ${name})?`, yes, streams);
      await client.deleteDataset(id);
      printRecord(streams, output, { deleted: id }, `Dataset ${id} is deleted.`);
    });
  addRefresh(dataset, 'list', streams);
}

function parseKind(text: string): DatasetKind {
  const kind = DATASET_KINDS.find((value) => value === text);
  if (!kind) throw new InvalidArgumentError(`Expected one of ${DATASET_KINDS.join(', ')}.`);
  return kind;
}

async function listDatasets(output: Output, streams: Streams): Promise<void> {
  const client = await connect(streams);
  const datasets = await listAll((page) => client.datasets(undefined, page));
  writeRows(streams, output, datasets, {
    columns: {
      'number': (dataset) => String(dataset.id),
      'kind': (dataset) => dataset.listKind ?? dataset.kind,
      'name': (dataset) => dataset.name,
      'entries': (dataset) => formatCount(dataset.numEntries),
      'imported (UTC)': (dataset) => formatMinute(dataset.importedAt),
      'state': stateOf,
    },
    figures: ['number', 'entries'],
    empty: 'Nothing was imported yet.',
  });
}
