import type { TrafficFinding } from '@jadefence/core/traffic';
import { editDraft } from '../edit-draft.js';
import { Failure } from '../cli-error.js';
import { logMessage, printRecord, type OneOutput, type Streams } from '../output.js';
import { countOf } from '../render/text.js';
import { renderTrafficFinding } from '../render/traffic-finding.js';
import { connect } from '../service.js';

export interface TrafficFindingOptions {
  readonly fix?: TrafficFinding['id'];
  readonly output: OneOutput;
}

export async function showTrafficFindings(
  id: number,
  { fix, output }: TrafficFindingOptions,
  streams: Streams,
): Promise<void> {
  const findings = await (await connect(streams)).trafficFindings(id);
  if (fix !== undefined) {
    const edits = findings.filter((finding) => finding.id === fix).flatMap((finding) => finding.fix ?? []);
    if (edits.length === 0) throw new Failure(`No finding "${fix}" of replay ${id} has a fix.`);
    return editDraft(edits, output, streams);
  }
  if (findings.length > 0 || output === 'json')
    printRecord(
      streams,
      output,
      findings,
      findings.map((finding) => renderTrafficFinding(finding, streams)).join('\n'),
    );
  const counts = (['warning', 'note'] as const).flatMap((level) => {
    const number = findings.filter((finding) => finding.level === level).length;
    return number === 0 ? [] : [countOf(number, level)];
  });
  logMessage(streams, counts.length === 0 ? 'No findings.' : `${counts.join(', ')}.`);
}
