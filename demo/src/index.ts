export { DAY_START_UNIX_MS, type LogLine, type LogOptions } from './day.js';
export { generateInboundLog, EVENTS, type EventLabel } from './inbound-log.js';
export { generateOutboundLog, OUTBOUND_EVENTS, type OutboundEvent } from './outbound-log.js';
export { writeInboundLog, writeLines, writeOutboundLog, type WrittenLog } from './write-log.js';
export { DEMO_LOG, DEMO_OUTBOUND_LOG } from './demo-log.js';
export { generateCategoryFeed } from './category-feed.js';
export { Random } from './random.js';
