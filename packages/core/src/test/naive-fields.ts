import type { GateStatement } from '../language/tree.js';

/** A record as the generator makes it. */
export interface NaiveRecord {
  readonly t: number;
  readonly attributes: Readonly<Record<string, unknown>>;
}

type Values = readonly string[] | undefined;

/** Reads fields by hand from the few attributes that the generator writes, in the few shapes that it writes them. */
export function readNaively(
  { attributes }: NaiveRecord,
  gate: GateStatement,
  client: Values,
  countryOf: (client: string) => string | undefined,
  isHidden: boolean,
): (field: string, parameter?: string) => Values {
  const raw = (name: string): Values => {
    const value = attributes[name];
    if (value === undefined) return undefined;
    return value === null ? [] : [value].flat().map(String);
  };
  const method = raw('http.request.method');
  const serverName = raw('tls.client.server_name');
  const settings = raw('http.request.header.host');
  const shownHost = settings?.length ? settings : (serverName ?? settings);
  const host = isHidden && serverName ? serverName : shownHost;
  const hidden = (values: Values): Values => (isHidden ? undefined : values);
  const pairs = (text: Values, separator: RegExp, name: string): Values =>
    text
      ?.flatMap((item) => item.split(separator))
      .flatMap((pair) => (pair.startsWith(`${name}=`) ? [pair.slice(name.length + 1)] : []));
  return (field, parameter) => {
    switch (field) {
      case 'client':
        return client;
      case 'peer': {
        const peer = raw('network.peer.address');
        const who = raw('client.address');
        const first = peer?.length ? peer : (who ?? peer);
        return first?.[0] === 'junk' ? undefined : first;
      }
      case 'country': {
        const country = client?.[0] === undefined ? undefined : countryOf(client[0]);
        return country === undefined ? undefined : [country];
      }
      case 'host':
        return host;
      case 'site':
        return host?.flatMap((name) => (name.includes('.') ? [name.split('.').slice(-2).join('.')] : []));
      case 'scheme':
        return raw('url.scheme');
      case 'port': {
        const written = raw('server.port');
        const implied = { https: ['443'], http: ['80'] }[String(attributes['url.scheme'])];
        return written?.length ? written : (implied ?? written);
      }
      case 'method':
        return isHidden && method?.[0] !== 'CONNECT' ? undefined : method;
      case 'path': {
        const fold = gate.pathForms.includes('fold-case')
          ? (text: string) => text.toLowerCase()
          : (text: string) => text;
        return hidden(method?.[0] === 'CONNECT' ? [] : raw('url.path')?.map(fold));
      }
      case 'query':
        return hidden(parameter === undefined ? raw('url.query') : pairs(raw('url.query'), /&/, parameter));
      case 'cookie':
        return hidden(pairs(raw('http.request.header.cookie'), /; /, parameter!));
      case 'header':
        return hidden(raw(`http.request.header.${parameter}`));
      case 'agent':
        return hidden(raw('user_agent.original'));
      case 'size':
        return hidden(raw('http.request.body.size'));
      case 'to-client':
      case 'from-client':
        return wholeOrBody(raw, field === 'to-client' ? 'http.response' : 'http.request');
      case 'user':
        return raw('user.name');
      case 'gate':
        return [gate.name];
      case 'direction':
        return [gate.direction];
      default:
        throw new Error(`the second reading does not know ${field}`);
    }
  };
}

/** None of the whole message leaves it to the body. */
function wholeOrBody(
  raw: (name: string) => readonly string[] | undefined,
  message: string,
): readonly string[] | undefined {
  const whole = raw(`${message}.size`);
  return whole?.length ? whole : raw(`${message}.body.size`);
}
