import type { ApplicationStatement } from '../language/tree.js';
import { parseFences } from '../language/parser.js';

/** Protocols that are recognised by their first bytes wherever they run. */
const TEXT = `
application dns "Domain name system" { ports udp/53, tcp/53 signature when payload is dns }
application tls "Transport layer security" { ports tcp/443 signature when payload is tls }
application http "HTTP" { ports tcp/80 signature when payload is http }
application http2 "HTTP/2 without TLS" { over http signature when payload is http2 }
application ssh "Secure shell" { ports tcp/22 signature when payload is ssh }
application icmp-echo "Ping" { signature when transport = icmp and payload starts hex "08 00", hex "80 00" }
`;

export const BUILT_IN_APPLICATIONS: readonly ApplicationStatement[] = parseFences(
  TEXT,
  'built-in',
).file.statements.filter((statement) => statement.kind === 'application');
