/** Answers for a decided log that take one pass through it. */
import type { Tally } from '../replay/tally.js';
import type { DecidedLog } from './decided-log.js';
import { TrialCounter } from './readiness.js';
import { TrafficCounts } from './traffic-counts.js';
import type { TrafficFinding } from './traffic-finding.js';
import { findInTraffic } from './traffic-findings.js';

/** What the decisions of a log show to be probably wrong. @param tally of the same decisions */
export async function reviewTraffic(log: DecidedLog, tally: Tally): Promise<readonly TrafficFinding[]> {
  const counts = new TrafficCounts(log.context);
  for await (const { rows, codes } of log.chunks(counts.attributes)) counts.add(rows, codes, log.rulings);
  return findInTraffic(counts, tally);
}

/** What a fence in trial would have done. @param fence the name of one that the rules of the log have */
export async function countTrial(log: DecidedLog, fence: string): Promise<TrialCounter> {
  const counter = new TrialCounter(log.context, fence);
  for await (const { rows, codes } of log.chunks(counter.attributes)) counter.add(rows, codes, log.rulings);
  return counter;
}
