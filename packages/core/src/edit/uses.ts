import { listMentions, mapMentions, type Mention } from '../language/mentions.js';
import { rulePart, splitStatement, type Part, type PartKind } from '../language/parts.js';
import type { FenceStatement, Rule, Statement } from '../language/tree.js';
import { ruleOf, statementOf } from './configuration.js';

/** What has a name that others mention. */
export type Mentioned = 'list' | 'fence' | 'schedule' | 'page' | 'application' | 'rule' | 'dataset';

/** The parts that mention something, as people name them: `rule ticket-desk/resale`, `gate tickets`. */
export function findUses(parts: readonly Part[], kind: Mentioned, name: string): string[] {
  return parts.flatMap((part) => {
    const isUser = mentionsOf(part).some((mention) => isMention(mention, kind, name));
    return isUser ? [describePart(part)] : [];
  });
}

export function describePart({ kind, owner, name }: { kind: PartKind; owner: string; name: string }): string {
  if (kind === 'zone') return 'the zone';
  if (kind === 'expect') return `the expectation "${name}"`;
  return kind === 'rule' ? `rule ${owner}/${name}` : `${kind} ${name}`;
}

/** The same parts, with every mention of something that gets another name following it. */
export function renameMentions(parts: readonly Part[], kind: Mentioned, name: string, to: string): Part[] {
  return parts.flatMap((part) => {
    const rename = (mention: Mention): string => {
      if (isMention(mention, kind, name)) return to;
      // A rule is mentioned with its fence in front.
      if (kind === 'fence' && mention.kind === 'rule' && mention.name.startsWith(`${name}/`))
        return `${to}${mention.name.slice(name.length)}`;
      return mention.name;
    };
    const isUser = mentionsOf(part).some((mention) => rename(mention) !== mention.name);
    if (!isUser) return [part];
    if (part.kind === 'rule') return [rulePart(part.owner, mapRule(ruleOf(part), rename))];
    return splitStatement(mapMentions(statementOf(part), rename));
  });
}

/** The names of the datasets that lists take their entries from, each once. */
export function datasetNamesOf(parts: readonly Part[]): string[] {
  const names = parts
    .filter(({ kind, text }) => kind === 'list' && text.includes(' from dataset '))
    .flatMap(mentionsOf)
    .flatMap((mention) => (mention.kind === 'dataset' ? [mention.name] : []));
  return [...new Set(names)];
}

/** The rules that require each passphrase, by its name. */
export function passphrasesOf(parts: readonly Part[]): Map<string, string[]> {
  const users = new Map<string, string[]>();
  for (const part of parts) {
    if (part.kind !== 'rule' || !part.text.includes('passphrase')) continue;
    const { action } = ruleOf(part);
    if (action.kind === 'passphrase' && action.secret !== undefined)
      users.set(action.secret, [...(users.get(action.secret) ?? []), describePart(part)]);
  }
  return users;
}

function isMention(mention: Mention, kind: Mentioned, name: string): boolean {
  if (mention.name !== name) return false;
  if (kind === 'list') return mention.kind === 'list' || (mention.kind === 'word' && mention.takesLists);
  if (kind === 'application')
    return mention.kind === 'application' || (mention.kind === 'word' && mention.listKind === 'applications');
  return mention.kind === kind;
}

function mentionsOf(part: Part): Mention[] {
  return listMentions(part.kind === 'rule' ? fenceAround(ruleOf(part)) : statementOf(part));
}

function mapRule(rule: Rule, rename: (mention: Mention) => string): Rule {
  return mapMentions(fenceAround(rule), rename).rules[0]!;
}

function fenceAround(rule: Rule): FenceStatement & Statement {
  return {
    kind: 'fence',
    name: 'f',
    mode: 'enforce',
    rules: [rule],
    otherwise: { kind: 'continue' },
    comments: [],
    place: rule.place,
  };
}
