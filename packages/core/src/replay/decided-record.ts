import { isStop, type Decision, type Throttled, type Would } from '../decide/decision.js';
import { formatAddress } from '../request/address.js';
import { FILE_ATTRIBUTE, sortAttributeNames, type AttributeValue, type LogRecord } from '../request/record.js';

/** A record with its decision, as it leaves the product in NDJSON; keys in their fixed order. */
export type DecidedRecord = Record<string, AttributeValue | null>;

/** The record's attributes, then the decision's. Unknown country or client are left out, none is `null`. */
export function toDecidedRecord(record: LogRecord, decision: Decision): DecidedRecord {
  const result = Object.create(null) as DecidedRecord;
  result['timestamp'] = new Date(record.atUnixMs).toISOString();
  for (const name of sortAttributeNames(Object.keys(record.attributes))) {
    const value = record.attributes[name];
    if (value !== undefined && name !== FILE_ATTRIBUTE) result[name] = value;
  }
  return Object.assign(result, decisionAttributes(record, decision));
}

function decisionAttributes({ line, attributes }: LogRecord, decision: Decision): DecidedRecord {
  const file = attributes[FILE_ATTRIBUTE];
  const { gate, fence, rule, status, reason, client, country } = decision;
  return {
    'jade.line': line,
    'jade.outcome': decision.outcome,
    'jade.stopped': isStop(decision.outcome),
    ...(gate === undefined ? {} : { 'jade.gate': gate }),
    ...(fence === undefined ? {} : { 'jade.fence': fence }),
    ...(rule === undefined ? {} : { 'jade.rule': rule }),
    ...(status === undefined ? {} : { 'jade.status': status }),
    ...(reason === undefined ? {} : { 'jade.reason': reason }),
    'jade.would': decision.would.map(printWould),
    ...(decision.throttled
      ? { 'jade.throttle': decision.throttled.map((item, index) => printThrottled(item, decision.waitsMs![index]!)) }
      : {}),
    ...(file == null ? {} : { [FILE_ATTRIBUTE]: file }),
    'jade.tags': decision.tags,
    'jade.blind': decision.blind,
    ...(country === undefined ? {} : { 'jade.country': country }),
    ...(client === undefined ? {} : { 'jade.client': client && formatAddress(client) }),
  };
}

function printThrottled({ fence, rule, isTrial }: Throttled, waitMs: number): DecidedRecord {
  return { fence, rule, 'wait-ms': waitMs, ...(isTrial ? { trial: true } : {}) };
}

function printWould({ fence, rule, outcome }: Would): DecidedRecord {
  return { fence, ...(rule === undefined ? {} : { rule }), outcome };
}
