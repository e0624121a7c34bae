export { generateInboundLog, DAY_START_UNIX_MS, EVENTS, type EventLabel, type LogLine, type LogOptions } from './inbound-log.js';
export { writeInboundLog, writeLines, type WrittenLog } from './write-log.js';
export { DEMO_LOG } from './demo-log.js';
