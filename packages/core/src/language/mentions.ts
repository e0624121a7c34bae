/** Every place where a statement mentions something that is defined elsewhere. */
import { kindOf, LIST_KIND_OF, VALUE_KIND_OF, type ListKind } from './fields.js';
import type { SourceLocation } from './diagnostic.js';
import type { Action, Condition, FenceStatement, GateStatement, Reference, Rule, Statement, Value } from './tree.js';

/** A name that is used, and the kind it must refer to. */
export type Mention = { readonly name: string; readonly place: SourceLocation } & (
  | { readonly kind: 'list'; readonly listKind: ListKind }
  /** A category or application, or where `takesLists` a list of them. */
  | { readonly kind: 'word'; readonly listKind: 'categories' | 'applications'; readonly takesLists: boolean }
  | { readonly kind: 'fence' | 'schedule' | 'page' | 'application' }
  | { readonly kind: 'dataset'; readonly listKind: ListKind }
  /** Written `fence/rule`. */
  | { readonly kind: 'rule' }
  /** A code, which is never renamed. */
  | { readonly kind: 'country' }
);

/** Answers the name that a mention shall have from now on. */
type Rename = (mention: Mention) => string;

/** The mentions of a statement in the order of its text. */
export function listMentions(statement: Statement): Mention[] {
  const mentions: Mention[] = [];
  mapMentions(statement, (mention) => {
    mentions.push(mention);
    return mention.name;
  });
  return mentions;
}

/** The same statement with every mention renamed. */
export function mapMentions<S extends Statement>(statement: S, rename: Rename): S {
  return mapStatement(statement, rename) as S;
}

function mapStatement(statement: Statement, rename: Rename): Statement {
  switch (statement.kind) {
    case 'zone':
    case 'schedule':
    case 'page':
      return statement;
    case 'list': {
      const { source, listKind } = statement;
      if (source.kind === 'file') return statement;
      if (source.kind === 'dataset')
        return { ...statement, source: { ...source, name: rename({ ...source, listKind }) } };
      const map = (values: readonly Value[]): Value[] => mapValues(values, listKind, true, rename);
      return { ...statement, source: { ...source, entries: map(source.entries), exceptions: map(source.exceptions) } };
    }
    case 'application':
      return {
        ...statement,
        needs: statement.needs.map((need) => mapReference('application', need, rename)),
        ...(statement.over ? { over: mapReference('application', statement.over, rename) } : {}),
        signatures: statement.signatures.map((condition) => mapCondition(condition, rename)),
      };
    case 'gate':
      return mapGate(statement, rename);
    case 'fence':
      return mapFence(statement, rename);
    case 'expect': {
      const { by } = statement;
      if (!by) return statement;
      const [fence, rule] = rename({ kind: 'rule', name: `${by.fence}/${by.rule}`, place: by.place }).split('/');
      return { ...statement, by: { ...by, fence: fence!, rule: rule! } };
    }
  }
}

function mapGate(gate: GateStatement, rename: Rename): GateStatement {
  const { clientFrom, inspection, otherwise } = gate;
  return {
    ...gate,
    hosts: mapValues(gate.hosts, 'domains', true, rename),
    clients: mapValues(gate.clients, 'addresses', true, rename),
    ...(clientFrom
      ? { clientFrom: { ...clientFrom, trusting: mapValues(clientFrom.trusting, 'addresses', true, rename) } }
      : {}),
    ...(inspection
      ? {
          inspection: {
            ...inspection,
            rules: inspection.rules.map((rule) => ({ ...rule, condition: mapCondition(rule.condition, rename) })),
          },
        }
      : {}),
    fences: gate.fences.map((fence) => mapReference('fence', fence, rename)),
    otherwise: mapPage(otherwise, rename),
  };
}

function mapFence(fence: FenceStatement, rename: Rename): FenceStatement {
  return {
    ...fence,
    rules: fence.rules.map((rule) => mapRule(rule, rename)),
    otherwise: mapPage(fence.otherwise, rename),
  };
}

function mapRule(rule: Rule, rename: Rename): Rule {
  const { hours } = rule;
  return {
    ...rule,
    action: mapAction(rule.action, rename),
    condition: mapCondition(rule.condition, rename),
    ...(hours ? { hours: { ...hours, schedule: mapReference('schedule', hours.schedule, rename) } } : {}),
  };
}

function mapAction(action: Action, rename: Rename): Action {
  return action.kind === 'limit' ? { ...action, then: mapPage(action.then, rename) } : mapPage(action, rename);
}

function mapPage<A extends object>(action: A, rename: Rename): A {
  const { page } = action as { page?: Reference };
  return page ? { ...action, page: mapReference('page', page, rename) } : action;
}

function mapReference(
  kind: 'fence' | 'schedule' | 'page' | 'application',
  reference: Reference,
  rename: Rename,
): Reference {
  return { ...reference, name: rename({ kind, ...reference }) };
}

function mapCondition(condition: Condition, rename: Rename): Condition {
  switch (condition.kind) {
    case 'always':
      return condition;
    case 'not':
      return { ...condition, part: mapCondition(condition.part, rename) };
    case 'and':
    case 'or':
      return { ...condition, parts: condition.parts.map((part) => mapCondition(part, rename)) };
    case 'comparison': {
      const listKind = LIST_KIND_OF[kindOf(condition.field)];
      if (listKind === undefined) return condition;
      return { ...condition, values: mapValues(condition.values, listKind, condition.operator === 'in', rename) };
    }
  }
}

function mapValues(values: readonly Value[], listKind: ListKind, takesLists: boolean, rename: Rename): Value[] {
  return values.map((value) => {
    const { place } = value;
    if (value.kind === 'country') rename({ kind: 'country', name: value.code, place });
    if (value.kind === 'list') return { ...value, name: rename({ kind: 'list', listKind, name: value.name, place }) };
    if (value.kind !== 'word') return value;
    const kind = VALUE_KIND_OF[listKind] === 'application' ? 'applications' : 'categories';
    return { ...value, name: rename({ kind: 'word', listKind: kind, takesLists, name: value.name, place }) };
  });
}
