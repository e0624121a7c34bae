/** A gate as fields that a form or a command sets. */
import type { Diagnostic } from '../language/diagnostic.js';
import { parseFences } from '../language/parser.js';
import { printEnding } from '../language/action-text.js';
import { printStatement } from '../language/printer.js';
import { PATH_FORMS, type GateStatement, type Inspection, type PathForm } from '../language/tree.js';
import { printValue } from '../language/value.js';

/** What it has no field for stays as it is. */
export interface GateFields {
  readonly name: string;
  readonly direction: 'inbound' | 'outbound';
  readonly hosts: readonly string[];
  readonly clients: readonly string[];
  /** The header that names the client; empty where the connection does. */
  readonly header: string;
  readonly trusting: readonly string[];
  readonly fences: readonly string[];
  /** How the server behind the gate reads paths. */
  readonly pathForms: readonly PathForm[];
  /** Undefined where the log specifies whether a request was inspected. */
  readonly inspection?: Inspection;
  /** Fence text, such as `allow` or `block 451`. */
  readonly otherwise: string;
}

export const NEW_GATE: GateFields = {
  name: '',
  direction: 'inbound',
  hosts: [],
  clients: [],
  header: '',
  trusting: [],
  fences: [],
  pathForms: [],
  otherwise: 'allow',
};

/** @returns undefined where the text is no gate */
export function readGate(text: string): GateStatement | undefined {
  const { file, diagnostics } = parseFences(text, 'gate');
  const [statement] = file.statements;
  return diagnostics.length === 0 && statement?.kind === 'gate' ? statement : undefined;
}

export function fieldsOf(gate: GateStatement): GateFields {
  const { name, direction, hosts, clients, clientFrom, fences, pathForms, inspection } = gate;
  return {
    name,
    direction,
    hosts: hosts.map((value) => printValue(value)),
    clients: clients.map((value) => printValue(value)),
    header: clientFrom?.header ?? '',
    trusting: (clientFrom?.trusting ?? []).map((value) => printValue(value)),
    fences: fences.map((fence) => fence.name),
    pathForms,
    ...(inspection ? { inspection } : {}),
    otherwise: printEnding(gate.otherwise),
  };
}

/**
 * The gate as fence text.
 * @param old whose comments are kept
 * @returns the errors of the fields where they make no gate
 */
export function writeGate(fields: GateFields, old?: GateStatement): { text: string; problems: readonly Diagnostic[] } {
  const isInbound = fields.direction === 'inbound';
  const clauses = [
    isInbound && fields.hosts.length > 0 && `hosts ${fields.hosts.join(', ')}`,
    !isInbound && fields.clients.length > 0 && `clients ${fields.clients.join(', ')}`,
    fields.header !== '' && `client from header ${fields.header.toLowerCase()} trusting ${fields.trusting.join(', ')}`,
    fields.fences.length > 0 && `fences ${fields.fences.join(', ')}`,
    `otherwise ${fields.otherwise}`,
  ].filter(Boolean);
  const text = `gate ${fields.name} ${fields.direction} {\n${clauses.map((clause) => `  ${clause}\n`).join('')}}\n`;
  const { file, diagnostics } = parseFences(text, 'gate');
  const [statement] = file.statements;
  if (diagnostics.length > 0 || statement?.kind !== 'gate') return { text, problems: diagnostics };
  const { comments } = old ?? statement;
  const pathForms = PATH_FORMS.filter((form) => fields.pathForms.includes(form));
  const inspection = isInbound ? undefined : fields.inspection;
  return { text: printStatement({ ...statement, comments, pathForms, inspection }), problems: [] };
}
