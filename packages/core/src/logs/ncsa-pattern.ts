/** A pattern for lines that are NCSA common or combined but for further columns in front or at the end. */
import { parseAddress } from '../request/address.js';

/** What such a log was found to have. */
export interface NcsaPattern {
  /** Ready for the format `pattern`. */
  readonly pattern: string;
  /** Whether the first column cannot be a host: it is a number, or between quotation marks. */
  readonly isNoHost: boolean;
  /** What was recognised and what is passed over, for people. */
  readonly summary: string;
}

/** A column as it is written: its text, and whether it is between quotation marks. */
interface Cell {
  readonly text: string;
  readonly isQuoted: boolean;
}
interface NcsaLine {
  /** Before the client column. */
  readonly front: readonly Cell[];
  readonly hasAgent: boolean;
  /** After the last column of common or combined. */
  readonly end: readonly Cell[];
}

const CELL = /(?:"((?:[^"\\]|\\.)*)"|([^\s"]\S*))(?: |$)/y;
const TIME = / \[\d{2}\/[A-Z][a-z]{2}\/\d{4}:[^\]]*\] /;
/** Client, identity and user come before the time. */
const BEFORE_TIME = 3;
const FORWARDED = 'http.request.header.x-forwarded-for';
const WORDS: Readonly<Record<string, string>> = { [FORWARDED]: 'a list of forwarded addresses', host: 'the host' };

/**
 * @param lines the first lines of a log
 * @returns undefined where they are not of that kind, or differ in what they have
 */
export function proposePattern(lines: readonly string[]): NcsaPattern | undefined {
  const byShape = new Map<string, NcsaLine[]>();
  for (const line of lines.map(takeApart)) {
    if (!line) continue;
    const shape = shapeOf(line);
    byShape.set(shape, [...(byShape.get(shape) ?? []), line]);
  }
  // Most lines, so that there is at most one; the first of the log may be broken.
  const alike = [...byShape.values()].find(({ length }) => length * 2 > lines.length);
  if (!alike) return undefined;
  const { front, end, hasAgent } = alike[0]!;
  if (front.length + end.length === 0) return undefined;
  const used = new Set<string>();
  const nameColumn = (side: 'front' | 'end', at: number): string => {
    const name = nameOf(alike.map((line) => line[side][at]!));
    if (used.has(name)) return '';
    if (name !== '') used.add(name);
    return name;
  };
  const write = (cells: readonly Cell[], side: 'front' | 'end'): string[] =>
    cells.map(({ isQuoted }, at) => (isQuoted ? `"{${nameColumn(side, at)}}"` : `{${nameColumn(side, at)}}`));
  const columns = [
    ...write(front, 'front'),
    '{client} {} {user} [{time}] "{request}" {status} {bytes}',
    ...(hasAgent ? ['"{referer}" "{agent}"'] : []),
    ...write(end, 'end'),
  ];
  const numOthers = front.length + end.length - used.size;
  const item = [...[...used].map((name) => WORDS[name]!), ...(numOthers === 0 ? [] : [`${numOthers} without a name`])];
  return {
    pattern: columns.join(' '),
    isNoHost:
      front.length > 0 && alike.every((line) => line.front[0]!.isQuoted || /^[\d.]+$/.test(line.front[0]!.text)),
    summary: `it is NCSA ${hasAgent ? 'combined' : 'common'} with further columns (${item.join(', ')}).`,
  };
}

function shapeOf({ front, hasAgent, end }: NcsaLine): string {
  const written = (cells: readonly Cell[]): string => cells.map(({ isQuoted }) => (isQuoted ? '"' : '.')).join('');
  return `${written(front)} ${hasAgent} ${written(end)}`;
}

function takeApart(line: string): NcsaLine | undefined {
  const time = TIME.exec(line);
  const before = time && cellsOf(line.slice(0, time.index));
  const after = time && cellsOf(line.slice(time.index + time[0].length));
  if (!before || !after || before.length < BEFORE_TIME) return undefined;
  const [request, status, bytes, referer, agent] = after;
  if (!request?.isQuoted || !/^(\d{3}|-)$/.test(status?.text ?? '') || !/^(\d+|-)$/.test(bytes?.text ?? ''))
    return undefined;
  const hasAgent = referer?.isQuoted === true && agent?.isQuoted === true;
  return { front: before.slice(0, -BEFORE_TIME), hasAgent, end: after.slice(hasAgent ? 5 : 3) };
}

/** @returns undefined where something is not a cell and a space after it */
function cellsOf(text: string): Cell[] | undefined {
  const cells: Cell[] = [];
  const trimmed = text.trimEnd();
  for (let at = 0; at < trimmed.length; at = CELL.lastIndex) {
    CELL.lastIndex = at;
    const match = CELL.exec(trimmed);
    if (!match) return undefined;
    cells.push({ text: match[1] ?? match[2]!, isQuoted: match[1] !== undefined });
    if (CELL.lastIndex === 0) break;
  }
  return cells;
}

/** What a column holds by the shape of its values; empty where that is unclear. */
function nameOf(cells: readonly Cell[]): string {
  const known = cells.map(({ text }) => text).filter((value) => value !== '-' && value !== '');
  if (known.length === 0) return '';
  // A port is that of a server, and bare addresses without a list among them may be those of anything.
  const isPlain = (part: string): boolean => !/\.\d+:\d+$/.test(part) && parseAddress(part.trim()) !== undefined;
  const isList = cells[0]!.isQuoted || known.some((value) => value.includes(','));
  if (isList && known.every((value) => value.split(',').every(isPlain))) return FORWARDED;
  // Some requests name an address as their host; a column of addresses alone is something else.
  const isNamed = (value: string): boolean => /^(?=.*[a-z])[a-z0-9_-]+(\.[a-z0-9_-]+)+(:\d+)?$/i.test(value);
  const isHost = (value: string): boolean => isNamed(value) || parseAddress(value.replace(/:\d+$/, '')) !== undefined;
  return known.some(isNamed) && known.every(isHost) ? 'host' : '';
}
