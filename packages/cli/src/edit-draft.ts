import type { Edit } from '@jadefence/core';
import { readAll, say, writeJson, writeOne, type OneOutput, type Streams } from './output.js';
import { describeDiagnostics } from './render/diagnostics.js';
import { renderChanges } from './render/changes.js';
import { connect } from './service.js';

/** Edits the draft and tells what changed, what became of each entry of a list, and what the draft lacks now. */
export async function editDraft(edits: readonly Edit[], output: OneOutput, streams: Streams): Promise<void> {
  const client = await connect(streams);
  const { version } = await client.draftSources();
  const result = await client.edit(edits, version);
  if (output === 'json') return writeJson(streams, result);
  const entries = result.entries.map(
    ({ line, text, result: became, note }) =>
      `${String(line).padStart(4)}  ${became.replace('-', ' ')}: ${text}${note ? ` (${note})` : ''}`,
  );
  const lines = [...entries, ...(result.changes.length > 0 ? [renderChanges(result.changes, streams)] : [])];
  writeOne(streams, output, result, lines.length > 0 ? lines.join('\n') : 'Nothing changed: the draft is so already.');
  for (const line of describeDiagnostics(result.diagnostics)) say(streams, line);
  if (result.diagnostics.length > 0) say(streams, 'The draft cannot judge until this is mended.');
}

/** Fence text as given, or from standard input where `-` is given. */
export async function textOrInput(text: string, streams: Streams): Promise<string> {
  return text === '-' ? readAll(streams) : text;
}
