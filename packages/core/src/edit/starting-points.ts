import { parseFences } from '../language/parser.js';
import { splitIntoParts, type Part } from '../language/parts.js';
import { EDIT_FILE, EditError, type Configuration } from './configuration.js';

/** Templates of fences to start from. */
export interface StartingPoint {
  readonly name: string;
  readonly title: string;
  readonly description: string;
  readonly text: string;
}

export const STARTING_POINTS: readonly StartingPoint[] = [
  {
    name: 'published-site',
    title: 'A published site with a sign-in page',
    description:
      'Lets the people who run it in, slows down guesses at the sign-in page, and keeps the back office to them.',
    text: `
# Put the addresses of your own offices here.
list site-staff addresses "People who run the site" { 192.0.2.0/28 }
list site-blocked addresses "Never let in" { }

fence published-site trial "Published site" {
  rule blocked "Who is never let in" block when client in site-blocked
  rule staff "Who runs the site" tag staff when client in site-staff
  # A person mistypes a few times; a program does not stop.
  rule sign-in-pace "Too many sign-ins" limit 10 per 5m by client then block 429 for 15m
    when path under /login and method = POST and not tag = staff
  rule back-office "Only for who runs it" block when path under /admin and not tag = staff if unknown match
  rule odd-methods "Methods that the site has no use for" block 405 when method not in GET, HEAD, POST, OPTIONS
}
`,
  },
  {
    name: 'public-api',
    title: 'A public API',
    description: 'Lets partners through, keeps writing to them, and gives everybody else a fair share.',
    text: `
# Put the addresses of your partners here.
list api-partners addresses "Partners of the API" { 192.0.2.32/28 }

fence public-api trial "Public API" {
  rule partners "Partners may do everything" allow outright when client in api-partners
  rule writes "Only partners write" block 405 when path under /api and method not in GET, HEAD, OPTIONS
  rule no-agent "Programs identify themselves" block 400 when path under /api and agent absent
  rule fair-share "A fair share for everybody" limit 120 per 1m by client when path under /api
  rule bulk "No bulk copies" limit 20 per 1m by client when path under /api/export
}
`,
  },
  {
    name: 'visitors-network',
    title: "A visitors' network",
    description: 'Warns before what is not meant for a visit, stops what would harm others, and leaves the rest alone.',
    text: `
list visitor-never categories "Never from here" { malware, phishing }
list visitor-warned categories "Not meant for a visit" { gambling, adult }

fence visitors-network trial "Visitors' network" {
  rule harmful "What harms others" block when category in visitor-never
  rule warned "Not meant for a visit" warn for 1h when category in visitor-warned
  rule mail-out "Mail servers are not for visitors" block when transport = tcp and port = 25
  rule not-dns "What pretends to be a name lookup" block
    when transport = udp and port = 53 and not application = dns
}
`,
  },
];

/** Puts the parts of a starting point behind the others. @throws EditError where there is none, or a name is taken */
export function startFrom(configuration: Configuration, name: string): Configuration {
  const item = STARTING_POINTS.find((startingPoint) => startingPoint.name === name);
  if (!item)
    throw new EditError(
      'unknown-part',
      `There is no starting point "${name}".`,
      `There are: ${STARTING_POINTS.map((startingPoint) => startingPoint.name).join(', ')}.`,
    );
  const added = splitIntoParts([parseFences(item.text, EDIT_FILE).file]);
  const taken = added.find((part) => configuration.parts.some((eachPart) => isSamePart(eachPart, part)));
  if (taken)
    throw new EditError(
      'name-taken',
      `The starting point ${name} brings a ${taken.kind} "${taken.name}", and there is one already.`,
      'Rename yours first, or go on with what is there.',
    );
  return { ...configuration, parts: [...configuration.parts, ...added] };
}

function isSamePart(a: Part, b: Part): boolean {
  return a.kind === b.kind && a.owner === b.owner && a.name === b.name;
}
