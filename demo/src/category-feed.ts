/** A made-up feed of sites by category: the sites of the logs, and some three thousand that no one visited. */
import { Random } from './random.js';

const KNOWN: readonly (readonly [string, string])[] = [
  ['daily-lark.example', 'news'],
  ['skerry.example', 'weather'],
  ['wayfare.example', 'travel'],
  ['gallerytube.example', 'video'],
  ['quaver.example', 'music'],
  ['fjordwear.example', 'shopping'],
  ['pigeonpost.example', 'chat'],
  ['roundtable.example', 'meetings'],
  ['openarchive.example', 'reference'],
  ['offsite-copy.example', 'backup'],
  ['blockfall.example', 'games'],
  ['cardtable.example', 'games'],
  ['cardtable.example/stakes', 'gambling'],
  ['nordic-prints.example', 'arts'],
  ['nordic-prints.example/auctions', 'shopping'],
];
const CATEGORIES = (
  'arts backup books chat children dating drinks education finance food gambling games health jobs ' +
  'meetings music news reference religion shopping sport travel video weather'
).split(' ');
const FIRST = 'amber birch cedar cliff cove dale ember fern gale harbour inlet larch kelp linden moss nettle'.split(
  ' ',
);
const SECOND = 'barn bridge court croft field gate hall house lane mill nook pier quay rise stone wharf yard'.split(
  ' ',
);
const SEED = 24;
const SITES = 3000;

/** The lines of the feed, `domain-or-url,category`, the same each time. */
export function generateCategoryFeed(): string[] {
  const random = new Random(SEED);
  const known = new Set(KNOWN.map(([site]) => site));
  const lines = KNOWN.map(([site, category]) => `${site},${category}`);
  while (lines.length < SITES) {
    const site = `${random.pick(FIRST)}-${random.pick(SECOND)}-${random.below(90) + 10}.example`;
    if (known.has(site)) continue;
    known.add(site);
    lines.push(`${site}${random.chance(0.03) ? `/${random.pick(SECOND)}` : ''},${random.pick(CATEGORIES)}`);
  }
  return ['site,category', ...lines];
}
