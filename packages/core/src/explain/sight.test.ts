import { describe, expect, it } from 'vitest';
import { checkFences } from '../check/check-fences.js';
import { parseAddress } from '../request/address.js';
import { buildSyntheticFlow, type SyntheticFlow } from '../request/synthetic-request.js';
import { normalizeRequest } from '../request/request.js';
import { explainRequest } from './explain.js';
import { identifyApplications } from './identify.js';
import { findAddressUses } from './address-uses.js';

const TEXT = `
list office addresses { 198.18.4.0/24 }
list all addresses { office, 203.0.113.0/24 except 198.18.4.66 }
list home countries { NO }
gate shop inbound { hosts a.example fences f otherwise allow }
gate out outbound { clients office fences f, g otherwise allow }
fence f enforce {
  rule named block when client = 198.18.4.7
  rule abroad block when country not in home or not client in all
  rule server block when server in 198.18.0.0/16 and server country = NO
  rule other block when path under /x and peer present
}
fence g trial { rule near observe when client in 198.18.4.0 - 198.18.4.9 }
fence spare trial { rule nowhere observe when country = NO }
application archive { ports tcp/443 needs door over tls signature when host = pictures.example }
application door { over tls signature when host under door.example signature when path under /door }
`;
const { rulebook } = checkFences([{ path: 'f.fence', text: TEXT }], []);

describe('what sees an address', () => {
  it('are the lists that hold it or its country, the gates it goes out at, and comparisons that are true of it', () => {
    expect(findAddressUses(rulebook!, parseAddress('198.18.4.7')!, 'NO')).toEqual({
      lists: [
        { list: 'office', entry: '198.18.4.0/24', through: [] },
        { list: 'all', entry: '198.18.4.0/24', through: ['office'] },
        { list: 'home', entry: 'NO', through: [] },
      ],
      gates: ['out'],
      rules: [
        { rule: 'f/named', gates: ['shop', 'out'], comparison: 'client = 198.18.4.7' },
        { rule: 'f/abroad', gates: ['shop', 'out'], comparison: 'client in all' },
        { rule: 'f/server', gates: ['shop', 'out'], comparison: 'server in 198.18.0.0/16' },
        { rule: 'f/server', gates: ['shop', 'out'], comparison: 'server country = NO' },
        { rule: 'g/near', gates: ['out'], comparison: 'client in 198.18.4.0 - 198.18.4.9' },
        { rule: 'spare/nowhere', gates: [], comparison: 'country = NO' },
      ],
    });
  });

  it('are negations, too, and exceptions count', () => {
    const { lists, rules } = findAddressUses(rulebook!, parseAddress('198.18.4.66')!, 'SE');
    expect(lists.map(({ list }) => list)).toEqual(['office']);
    expect(rules.map(({ comparison }) => comparison)).toEqual(['country not in home', 'server in 198.18.0.0/16']);
    // Where there is no table its country is seen by nothing.
    expect(findAddressUses(rulebook!, parseAddress('192.0.2.1')!, undefined)).toEqual({
      lists: [],
      gates: [],
      rules: [],
    });
  });
});

describe('what traffic is recognised as', () => {
  const identify = (flow: SyntheticFlow) =>
    identifyApplications({ rulebook: rulebook! }, normalizeRequest(buildSyntheticFlow(flow, 0)));
  const SSH = '53 53 48 2d 32 2e 30 2d 78 0d 0a';

  it.each<[string, SyntheticFlow, readonly string[]]>([
    ['an echo request', { transport: 'icmp', payload: '08 00 f7 ff 00 00 00 00' }, ['icmp-echo']],
    ['an echo request of IPv6', { transport: 'icmp', payload: '80 00 f7 ff 00 00 00 00' }, ['icmp-echo']],
    ['a host that cannot be reached', { transport: 'icmp', payload: '03 01 fc fe 00 00 00 00' }, ['unrecognised']],
    ['the same bytes over udp', { transport: 'udp', payload: '08 00 f7 ff 00 00 00 00' }, ['unrecognised']],
    ['a secure shell on the port of the web', { transport: 'tcp', port: 443, payload: SSH }, ['ssh']],
    ['a URL of an application, with what carries it', { url: 'https://pictures.example/' }, ['archive', 'tls']],
    ['any signature of several', { url: 'https://other.example/door/1' }, ['door', 'tls']],
  ])('is certain of %s', (_, flow, expected) =>
    expect(identify(flow).certain.toSorted()).toEqual([...expected].sort()),
  );

  it('lists the signatures, the unknown ones separately', () => {
    const { signatures, undecided, gate } = identify({ host: 'x.door.example', port: 8443 });
    expect(gate).toBeUndefined();
    expect(signatures.filter(({ truth }) => truth === 'true')).toEqual([
      { application: 'door', signature: 'host under door.example', truth: 'true' },
    ]);
    expect(undecided).toContain('ssh');
    expect(identify({ url: 'https://a.example/' }).gate).toBe('shop');
  });
});

it('a chain of a thousand hops is explained by its beginning and its end', () => {
  const text = `gate shop inbound { hosts a.example client from header x-forwarded-for trusting 10.0.0.0/8 fences f otherwise allow }
fence f enforce { }`;
  const hops = ['198.51.100.7', ...Array.from({ length: 999 }, (_, index) => `10.0.${index >> 8}.${index & 255}`)];
  const attributes = {
    'network.peer.address': '10.1.1.1',
    'url.full': 'http://a.example/',
    'http.request.method': 'GET',
    'http.request.header.x-forwarded-for': [hops.join(', ')],
  };
  const context = { rulebook: checkFences([{ path: 'f.fence', text }], []).rulebook! };
  const { clientBecause } = explainRequest(context, normalizeRequest({ line: 1, atUnixMs: 0, attributes }));
  expect(clientBecause).toMatch(
    /^Following .* 10\.1\.1\.1 \(.*, then 991 more, then 198\.51\.100\.7 \(not a trusted proxy\)\.$/,
  );
});
