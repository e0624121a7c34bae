/** What visitors request, where they come from, and their agents. */
import type { Random } from './random.js';

export const TICKET_PATHS = [
  '/',
  '/',
  '/times',
  '/times?day=sat',
  '/times?day=sun',
  '/buy',
  '/buy/step-2',
  '/buy/pay',
  '/login',
  '/account',
  '/account/orders',
  '/resale',
  '/resale/offers',
  '/resale/offers?sort=new',
  '/assets/site.css',
  '/assets/site.js',
  '/assets/logo.svg',
];
export const COLLECTION_PATHS = [
  '/',
  '/search?q=harbour',
  '/search?q=winter',
  '/pictures/{id}',
  '/pictures/{id}',
  '/pictures/{id}',
  '/api/pictures?page={page}',
  '/api/pictures/{id}',
  '/api/pictures/{id}/thumb.webp',
  '/api/originals/{id}.tiff',
  '/assets/viewer.js',
];
export const WWW_PATHS = [
  '/',
  '/',
  '/visit',
  '/visit/opening-hours',
  '/exhibitions',
  '/exhibitions/northern-light',
  '/families',
  '/about',
  '/jobs',
  '/assets/site.css',
  '/assets/hero.webp',
  '/favicon.ico',
];
export const STUDIO_PATHS = ['/', '/desk', '/desk/queue', '/records/new', '/records/4711', '/export', '/calendar'];

export const BROWSERS = [
  'Mozilla/5.0 (X11; Linux x86_64) Browser/141.0',
  'Mozilla/5.0 (Windows NT 10.0) Browser/140.2',
  'Mozilla/5.0 (Macintosh) Browser/18.1',
  'Mozilla/5.0 (Phone; OS 18_1) Mobile Browser/18.1',
  'Mozilla/5.0 (Phone; OS 15) Mobile Browser/139.0 \\"Plus\\"',
];
export const AGENTS = {
  tout: 'quick-queue/2.3',
  scraper: 'picture-grabber/0.9',
  partner: 'university-harvester/1.4 (mailto:library@partner.example)',
};

/** Shares of visitors by country, with the slice of the made-up country table that they come from. */
export const VISITOR_COUNTRIES: readonly {
  country: string;
  share: number;
  second: number;
  firstThird: number;
  ipv6: string;
}[] = [
  { country: 'NO', share: 0.5, second: 18, firstThird: 32, ipv6: '0' },
  { country: 'SE', share: 0.14, second: 18, firstThird: 64, ipv6: '1000' },
  { country: 'DK', share: 0.09, second: 18, firstThird: 80, ipv6: '2000' },
  { country: 'DE', share: 0.08, second: 18, firstThird: 96, ipv6: '3000' },
  { country: 'FI', share: 0.04, second: 18, firstThird: 112, ipv6: '4000' },
  { country: 'GB', share: 0.05, second: 18, firstThird: 128, ipv6: '5000' },
  { country: 'NL', share: 0.03, second: 18, firstThird: 144, ipv6: '6000' },
  { country: 'FR', share: 0.03, second: 18, firstThird: 160, ipv6: '7000' },
  { country: 'US', share: 0.02, second: 18, firstThird: 176, ipv6: '8000' },
  { country: 'JP', share: 0.02, second: 19, firstThird: 16, ipv6: 'e000' },
];

/** An address of a visitor: most from home, fewer from farther away, one in eight over IPv6. */
export function visitorAddress(random: Random): string {
  let at = random.fraction();
  const country = VISITOR_COUNTRIES.find(({ share }) => (at -= share) < 0) ?? VISITOR_COUNTRIES[0]!;
  // Squaring makes some neighbourhoods busier than others, as in life.
  const third = country.firstThird + Math.floor(random.fraction() ** 2 * 16);
  if (random.chance(0.125))
    return `2001:db8:${country.ipv6}:${(third & 255).toString(16)}::${(1 + random.below(400)).toString(16)}`;
  return `198.${country.second}.${third}.${1 + random.below(250)}`;
}
