import type { ApplicationStatement } from '../language/tree.js';
import { parseFences } from '../language/parser.js';

/** Protocols that are recognised by their first bytes wherever they run. */
const TEXT = `
application dns "Domain name system" { ports udp/53, tcp/53 signature when payload is dns }
application tls "Transport layer security" { ports tcp/443 signature when payload is tls }
application http "HTTP" { ports tcp/80 signature when payload is http }
application http2 "HTTP/2 without TLS" { over http signature when payload is http2 }
application quic "QUIC" { ports udp/443 signature when payload is quic }
application ssh "Secure shell" { ports tcp/22 signature when payload is ssh }
application ntp "Network time" { ports udp/123 signature when payload is ntp }
application smtp "Mail transfer" { ports tcp/25, tcp/587 signature when payload is smtp }
application imap "Mail access (IMAP)" { ports tcp/143 signature when payload is imap }
application pop3 "Mail access (POP3)" { ports tcp/110 signature when payload is pop3 and not port = 21 }
application ftp "File transfer (control)" { ports tcp/21 signature when payload is ftp and not port = 110 }
application sip "Session initiation" { ports udp/5060, tcp/5060 signature when payload is sip }
application stun "NAT traversal (STUN)" { ports udp/3478, tcp/3478 signature when payload is stun }
application mqtt "MQTT" { ports tcp/1883 signature when payload is mqtt }
application icmp-echo "Ping" { signature when transport = icmp and payload starts hex "08 00", hex "80 00" }
`;

export const BUILT_IN_APPLICATIONS: readonly ApplicationStatement[] = parseFences(
  TEXT,
  'built-in',
).file.statements.filter((statement) => statement.kind === 'application');
