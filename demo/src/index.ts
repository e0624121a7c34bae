export { generateInboundLog, DAY_START_UNIX_MS, EVENTS, type EventLabel, type LogLine, type LogOptions } from './inbound-log.js';
export { generateOutboundLog, OUTBOUND_EVENTS, type OutboundEvent, type OutboundLine } from './outbound-log.js';
export { writeInboundLog, writeLines, writeOutboundLog, type WrittenLog } from './write-log.js';
export { DEMO_LOG, DEMO_OUTBOUND_LOG } from './demo-log.js';
