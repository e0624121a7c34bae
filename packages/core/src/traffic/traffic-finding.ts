import type { Edit } from '../edit/edit.js';

/** Each name of a finding that a decided log shows. */
export const TRAFFIC_FINDING_IDS = [
  'proxy-as-client',
  'wide-collateral',
  'spread-source',
  'limit-catches-many',
  'path-variant-escapes',
  'blind',
  'unknown-country-share',
  'bare-or-sub-only',
  'shared-address',
  'limit-never-near',
  'no-hits',
] as const;
export type TrafficFindingId = (typeof TRAFFIC_FINDING_IDS)[number];

/** Something that the decisions of a log show to be probably wrong. */
export interface TrafficFinding {
  readonly id: TrafficFindingId;
  readonly level: 'warning' | 'note';
  /** Of a rule: `fence/rule`. */
  readonly rule?: string;
  /** One sentence. */
  readonly message: string;
  /** A full sentence that gives the fix. */
  readonly hint: string;
  /** Numbers of the log that it was concluded from. */
  readonly evidence: readonly string[];
  /** A filter that finds the requests. */
  readonly where?: string;
  /** Edits of the draft that fix it. */
  readonly fix?: readonly Edit[];
}

/** What each finding is, why it matters, and the fix: docs/findings.md, and the rules of a SARIF file. */
export const TRAFFIC_FINDING_ENTRIES: Readonly<Record<TrafficFindingId, string>> = {
  'proxy-as-client':
    'Warning, from a replay. Three clients or fewer make more than half of 1,000 requests or more at an inbound gate, or a tenth of its requests have an address header that is not trusted. The client is then probably a proxy, so that rules by country, list or rate judge the proxy. Fix: `client from header "x-forwarded-for" trusting NETWORKS` at the gate.',
  'wide-collateral':
    'Warning, from a replay. A rule that stops by country stops hundreds of requests, nine in ten of them from one network; the others are stopped as well, and may be legitimate. A rule for the network stops the same requests of that network, and no others. Fix: compare the client with the network instead of the country.',
  'spread-source':
    'Warning, from a replay. At least 50 clients with the same agent, or of the same country, make nine in ten of their requests to one path (a note where rules stop most of them): one source behind many addresses, each of which stays under limits by client. Fix: a rule for the agent or the country and the path, or a limit by agent.',
  'limit-catches-many':
    'Warning, from a replay. A limit stops more than one in ten of the clients it counts, and at least ten. The count is probably what ordinary clients reach. Fix: `jadefence limit-advice LOG --rule FENCE/RULE` shows which count stops whom.',
  'path-variant-escapes':
    'Warning, from a replay. Requests pass whose path differs from one that a rule stops only in doubled slashes, upper case or escapes. Many servers take both for the same. Fix: let the gate read paths so (`paths fold-case merge-slashes`), or compare both.',
  'blind':
    'Warning, from a replay. The condition of a rule could not be known of at least one in a hundred of the requests at its gates, since the log, the country table or inspection lacks the field. Fix: import a log that has the field, or write `if unknown match` where the rule should act then.',
  'unknown-country-share':
    'Warning, from a replay. Rules look at countries, and at least one in twenty of the requests has an address that the country table does not have. Fix: import a newer table, or correct addresses.',
  'bare-or-sub-only':
    'Note, from a replay. A rule compares a domain without those below it, or the reverse, and the log has requests for the other. Fix: `host under NAME` takes both.',
  'shared-address':
    'Note, from a replay. A client has many agents or users, as behind the address of an office or a carrier. A limit or a stop by client meets all of them. Fix: count by user or cookie, or put the address on a list that is spared.',
  'limit-never-near':
    'Note, from a replay. A limit counted requests, and no client got near it: it was not reached once. Fix: `jadefence limit-advice LOG --rule FENCE/RULE` shows how high clients get.',
  'no-hits':
    'Note, from a replay. A rule matched no request of the log, whose span is given. Fix: look at whether the log has what the rule is for; delete the rule if it is not needed any more.',
};
