import { formatDiagnostic } from '@jadefence/core';
import type { Command } from 'commander';
import { readFenceSources } from '../files/load-fences.js';
import { parseOutput, say, writeJson, type Output, type Streams } from '../output.js';
import { formatCount } from '../render/text.js';
import { connect } from '../service.js';

export function addFenceImport(fence: Command, streams: Streams): void {
  fence
    .command('import')
    .description('Replace the draft of the service by a fence file or a folder of them')
    .argument('<path>', 'fence file, or folder of .fence files')
    .option('--output <output>', 'table or json', parseOutput, 'table')
    .addHelpText('after', `
Examples:
  jadefence fence import ./fences
  jadefence fence import site.fence`)
    .action(async (path: string, { output }: { output: Output }) => {
      const sources = await readFenceSources(path);
      const client = await connect(streams);
      const draft = await client.importFences(sources);
      if (output === 'json') return writeJson(streams, draft);
      const numRules = draft.fences.reduce((sum, { rules }) => sum + rules.length, 0);
      streams.stdout.write(`The draft now has ${draft.gates.length} gates, ${draft.fences.length} fences with ${formatCount(numRules)} rules, and ${draft.lists.length} lists.\n`);
      for (const diagnostic of draft.diagnostics) say(streams, formatDiagnostic(diagnostic));
      if (draft.diagnostics.length > 0) say(streams, 'The draft cannot judge until these names are known.');
    });
}
