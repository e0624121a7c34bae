export {
  type Address,
  type AddressRange,
  type Family,
  formatAddress,
  formatRange,
  parseAddress,
  parseNetwork,
} from './address.js';
export { normalizeHost } from './host.js';
export { invariant } from './invariant.js';
export { PROTOCOLS } from './protocols.js';
export {
  type Attributes,
  DECISION_ATTRIBUTES,
  FILE_ATTRIBUTE,
  type LogRecord,
  REJECT_REASONS,
  type RejectedLine,
  type RejectReason,
} from './record.js';
export { normalizeRequest } from './request.js';
export {
  buildSyntheticFlow,
  buildSyntheticRecord,
  type SyntheticField,
  type SyntheticFlow,
} from './synthetic-request.js';
