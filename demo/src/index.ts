export { DAY_START_UNIX_MS, type LogLine, type LogOptions } from './day.js';
export { generateInboundLog, EVENTS, type EventLabel } from './inbound-log.js';
export { generateOutboundLog, OUTBOUND_EVENTS, type OutboundEvent } from './outbound-log.js';
export { generateEdgeLog, EDGE_EVENTS, type EdgeEvent } from './edge-log.js';
export { writeEdgeLog, writeInboundLog, writeLines, writeOutboundLog, type WrittenLog } from './write-log.js';
export { DEMO_EDGE_LOG, DEMO_LOG, DEMO_OUTBOUND_LOG } from './demo-log.js';
export { generateCategoryFeed } from './category-feed.js';
export { Random } from './random.js';
