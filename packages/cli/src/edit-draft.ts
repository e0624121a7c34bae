import type { EditResult } from '@jadefence/contract';
import type { Edit } from '@jadefence/core/edit';
import { EXIT, Failure } from './cli-error.js';
import { readAll, logMessage, writeJson, printRecord, type OneOutput, type Streams } from './output.js';
import { describeDiagnostics, describeWarnings } from './render/diagnostics.js';
import { renderChanges } from './render/changes.js';
import { countOf } from './render/text.js';
import { connect } from './service.js';

/** Edits the draft and reports what changed, what became of each entry of a list, and what the draft lacks now. */
export async function editDraft(edits: readonly Edit[], output: OneOutput, streams: Streams): Promise<void> {
  const client = await connect(streams);
  const { version } = await client.draftSources();
  printEdit(await client.edit(edits, version), output, streams);
}

/** @throws Failure where an entry of a list was refused */
export function printEdit(result: EditResult, output: OneOutput, streams: Streams): void {
  if (output === 'json') {
    writeJson(streams, result);
    return refuseInvalid(result.entries);
  }
  const entries = result.entries.map(
    ({ line, text, result: became, note }) =>
      `${String(line).padStart(4)}  ${became.replace('-', ' ')}: ${text}${note ? ` (${note})` : ''}`,
  );
  const lines = [...entries, ...(result.changes.length > 0 ? [renderChanges(result.changes, streams)] : [])];
  printRecord(
    streams,
    output,
    result,
    lines.length > 0 ? lines.join('\n') : 'Nothing changed: the draft is so already.',
  );
  for (const line of describeDiagnostics(result.diagnostics)) logMessage(streams, line);
  if (result.diagnostics.length > 0) logMessage(streams, 'The draft cannot be used until this is fixed.');
  for (const line of describeWarnings(result.warnings)) logMessage(streams, line);
  refuseInvalid(result.entries);
}

/** @throws Failure where an entry of a list was refused; the others are in the draft */
function refuseInvalid(entries: EditResult['entries']): void {
  const refused = entries.filter(({ result }) => result === 'invalid').length;
  if (refused > 0)
    throw new Failure(`${refused} of ${countOf(entries.length, 'entry', 'entries')} refused.`, EXIT.checkFailed);
}

/** Fence text as given, or from standard input where `-` is given. */
export async function textOrInput(text: string, streams: Streams): Promise<string> {
  return text === '-' ? readAll(streams) : text;
}
