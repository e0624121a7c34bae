import type { FindingId } from './finding.js';

/** What each finding is, why it matters, an example and the fix: docs/findings.md, and the rules of a SARIF file. */
export const FINDING_ENTRIES: Readonly<Record<FindingId, string>> = {
  'invalid':
    'Error. The text cannot be read, or names something of another kind; the evidence is the code, which docs/errors.md explains. The rules without errors are reviewed all the same.',
  'unknown-name':
    'Error. A list, fence, page, category or application is named that there is none of, often a misspelt one; the nearest name is proposed. Such a draft is kept, and nothing is replayed or published with it. Fix: correct the name, or define it.',
  'never-true':
    'Error. No request makes the condition true, such as two different hosts joined with `and`. Such a rule never acts. It is a warning where the condition looks at countries or categories and there is no table or feed, so that they are unknown of every request. So it is where the table has no address of a country. Example: `block when host = a.example and host = b.example`. Fix: correct the condition (`host in a.example, b.example`), or delete it.',
  'always-true':
    'Warning. The condition is false of no request, mostly because negations are joined with `or`: every path differs from one of two. Example: `block when path != /a or path != /b`. Fix: `path not in /a, /b`, or `when always` where that is meant.',
  'never-reached':
    'Warning, for one gate. Some request makes the condition true, but earlier rules take all of those, or the gate judges none of them. Limits, holds and rules in trial take nothing. The rules that take them are named. Example: `allow when client in office` above `block when client = 198.18.4.7`. Fix: move the narrow rule above the broad one.',
  'no-effect':
    'Note, for one gate. The rule is reached and matches, and without it every request has the same outcome, status, target and report of what trials would have done. Example: a rule that blocks what the gate blocks anyway. Fix: delete it, unless it is kept for what it records; a tag that a later rule reads is an effect.',
  'partly-covered':
    'Note, for one gate. An earlier rule takes some of the requests that match, which is often meant. The request that is shown is one of them. Fix: move the rule up if it should decide about them.',
  'below-broad-rule':
    'Warning, of a draft. A new rule is below one with another action that decides about its requests, all or some. Example: a block added at the end of a fence that lets the office through above. Fix: `rule place FENCE/NAME` shows where it would have to be and what that changes.',
  'redirect-loop':
    'Error. A client that follows the redirection is blocked or redirected again, as the request that is shown is. Example: `redirect "https://shop.example/sorry" when host = shop.example`. Fix: let the target through in a rule above.',
  'covers-everything':
    'Warning; a note where the rule is the last of its fence. It stops whatever reaches it. Fix: give it a condition, or end the fence with `otherwise block`.',
  'lookalike':
    'Warning for hosts, a note for paths. A pattern without an end at a dot (of a path: at a slash) matches other names, of which three are shown. Example: `host ends "shop.example"` matches `notshop.example`. Fix: `host under shop.example`.',
  'address-pattern':
    'Warning. A text is compared with the beginning of an address as text. Example: `header "x-real-ip" starts "198.18."`. Fix: compare addresses, `client in 198.18.0.0/16`.',
  'host-bits':
    'Note, of files; the draft has the network as it is read. Bits are set behind the prefix. Example: `198.18.4.7/24`, which is `198.18.4.0/24`. Fix: write the network, or the one address.',
  'double-slash':
    'Warning. The path that is compared has two slashes; requests with one are other paths. Fix: write one; a gate with `paths merge-slashes` reads several as one.',
  'encoded-path':
    'Note. The path that is compared has an escape that stays one (`%2F`, `%5C`, `%25`, `%00`), so that only requests which escape it match. Fix: compare the path without it, too, if the server decodes it.',
  'costly-condition':
    'Note. An expression, or a protocol by its first bytes, is searched in every request. Fix: a cheap test in front of it, such as the host.',
  'tag-never-set': 'Warning. A rule tests a tag that no rule sets. Fix: correct the name, or let a rule above set it.',
  'tag-never-read':
    'Note. The rule sets a tag that no rule looks at. Fix: test it in a later rule, or delete it; filters of decisions see tags, too.',
  'tag-set-later':
    'Warning, for one gate. A rule requires a tag that only rules below it set, so that it is never there. Fix: change their order.',
  'country-without-ranges':
    'Warning. The rule compares with a country code of which the country table has no address, so that it is the country of no client. Fix: check the code, or import a table that has it.',
  'not-in-without-no-country':
    'Warning. A stop by `country not in` stops addresses without a country, and internal ones, since it does not name them. Fix: add `no-country, internal` to the countries, or expect the finding if they are meant.',
  'country-table-missing':
    'Warning. Rules look at countries, and there is no table: every country is unknown, and no rule by country matches. Fix: import one.',
  'country-table-stale':
    'Note. Rules look at countries, and the table was imported more than 90 days ago. Fix: import a newer one.',
  'private-address-by-country':
    'Warning, for one gate. A rule looks at the country of clients whose addresses are all internal. Example: `country = NO` at a gate for `10.0.0.0/8`. Fix: `server country`, if the country of the server is meant.',
  'empty-list':
    'Warning. A list that something tests for holds nothing. Fix: add its entries, or take it out of what uses it.',
  'unused-list': 'Note. Nothing names the list. Fix: use it in a rule, or delete it.',
  'list-overlap':
    'Note. A fence lets one list through and stops another, and both hold the same entries: the order of the rules decides. Lists of which one names the other are left out. Fix: take the entries out of one, or write them behind `except`.',
  'twin-rules-drifted':
    'Note. Two rules of a fence differ in a protocol (transport, scheme, port, application, method) and in a few other values, which are shown. Fix: put the values into one list that both use.',
  'missing-need':
    'Warning, for one gate that stops what no rule lets through. An application is let through, and what it needs is not. Example: `allow when application = picture-archive` without `archive-sign-in`. Fix: name both.',
  'port-without-application':
    'Warning, for one gate that stops what no rule lets through. A rule lets a port through, whatever speaks there. Fix: name the application, too.',
  'transport-forgotten': 'Note. A rule stops TCP and UDP, and lets ICMP pass. Fix: add `icmp`.',
  'gate-without-fence':
    'Warning. The gate evaluates no rule; its requests take its `otherwise`. Fix: attach a fence, or delete the gate.',
  'fence-without-gate': 'Warning. No request reaches the rules of the fence. Fix: attach it to a gate, or delete it.',
  'uncovered-host':
    'Warning. A rule names a host that no gate of its fence protects, often a misspelt one. Fix: correct it, or add it to the gate.',
  'untrusted-header':
    'Error where anyone is believed, else a warning. A gate believes an address in a header from a network that is larger than one of proxies (a /8, or a /16 of IPv6), or a rule lets through by such a header. Fix: trust the proxies only, and compare the client.',
  'path-needs-inspection':
    'Warning, for one outbound gate. The rule looks at what encryption hides (path, query, headers, ...), and the gate looks into no encrypted request, so that only plain ones can match. Fix: let the gate inspect, compare the host, or add `if unknown match`.',
  'exempt-from-inspection':
    'Warning, for one gate. A rule looks at the path, or another hidden part, of requests that the gate exempts from inspection, by the same comparison. Fix: compare what is seen, or inspect them.',
  'hidden-evidence':
    'Note, for one gate that inspects some requests. A stop looks at what encryption hides, and lets pass what is not inspected. Fix: `if unknown match`, where these are to be stopped.',
  'no-category-fallback':
    'Note, for one gate. Rules stop by category, and none decides about hosts that no feed knows. Fix: a rule with `category = uncategorised`.',
  'expired':
    'Note. The last day of the rule is over, so that it matches nothing any more. Fix: delete it, or give it a later end.',
  'expires-soon':
    'Note. The last day of the rule is within seven days. Fix: give it a later end if it is still needed.',
  'schedule-gap':
    'Warning. Two rules with one condition are live during two schedules that together fill most of the week, and not all of it. Fix: `outside` the first, instead of `during` the second.',
  'schedule-overlap':
    'Warning. Two rules with one condition and different actions are live at the same time for some minutes of the week. Fix: as above.',
  'limit-key-too-wide':
    'Note. A limit counts by nothing that distinguishes clients, so that one of them uses it up for all. Fix: count by client, too.',
  'hold-on-machine':
    'Warning, for one gate. A warning, passphrase or challenge waits for a person where there is none (first bytes, methods of programs, other transports), or where no page can be shown since the gate looks into no encrypted request. Fix: block or limit instead.',
  'open-ended-allow-list':
    'Warning, for one gate. All rules of a fence let through, and so does its end, and that of the gate: the fence does nothing. Fix: `otherwise block`.',
  'disabled-clone': 'Note. A rule that is off does what another one does. Fix: delete it.',
  'never-tried': 'Note, of a draft. No replay has judged by the rules as they are. Fix: replay a log with the draft.',
  'not-published': 'Note, of a draft. It differs from what is published. Fix: publish it when it is ready.',
};
