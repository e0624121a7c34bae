/** From a box to a request in it. */
import { AttributeReader } from '../../match/features/attribute-reader.js';
import { TRUE } from '../../match/features/truth.js';
import type { LogRecord } from '../../request/record.js';
import { BASE, toAttributes, type Axis, type AxisClass, type Settings } from './axes.js';
import { classesOf, hasClass, type Box, type ClassSet } from './boxes.js';
import type { GateModel, Start } from './gate-model.js';
import { samplePattern } from './pattern-samples.js';
import type { Atom } from './recording-partitions.js';

/** So many values of a text are tried as what the wished patterns are put around. */
const TRIED_CLASSES = 12;

/** A request in a box, or undefined where none could be made: texts that satisfy some patterns and not others. */
export function makeExample(model: GateModel, { box, start }: { box: Box; start: Start }): LogRecord | undefined {
  const { all } = model.axes;
  const settings: Settings[] = [];
  let atUnixMs = 0;
  const kinds: AxisClass[] = [];
  for (const [index, axis] of all.entries()) {
    if (axis.free) continue;
    const wishes = axis.freeAxes.flatMap((number): Wish[] => {
      const [canBeFalse, canBeTrue] = [hasClass(box[number]!, 0), hasClass(box[number]!, 1)];
      return canBeFalse && canBeTrue ? [] : [{ atom: all[number]!.free!, isTrue: canBeTrue }];
    });
    const made = chooseValue(model, axis, box[index]!, wishes);
    if (!made) return undefined;
    settings.push(made.settings);
    kinds.push(made);
    atUnixMs = made.atUnixMs ?? atUnixMs;
  }
  return { line: 1, atUnixMs, attributes: toAttributes(...settings, start.settings) };
}

/** Whether a text has to be made for a request in the box; else there is one for each of its classes. */
export function needsText({ axes }: GateModel, box: Box): boolean {
  return axes.all.some(
    ({ free }, number) => free !== undefined && hasClass(box[number]!, 0) !== hasClass(box[number]!, 1),
  );
}

interface Wish {
  readonly atom: Atom;
  readonly isTrue: boolean;
}

/** Classes are numbered from the most plain on. */
function chooseValue(model: GateModel, axis: Axis, set: ClassSet, wishes: readonly Wish[]): AxisClass | undefined {
  let numTried = 0;
  for (const number of classesOf(set)) {
    const one = axis.classes[number]!;
    if (wishes.length === 0) return one;
    // A comparison of what a request does not have, or is not known to have, is not as is wished in any formula.
    const { states } = model.axes.describe(axis, one);
    const some = wishes.filter(({ atom }) => states[axis.used.indexOf(atom.partition)] === 'known');
    if (some.length === 0) return one;
    for (const settings of variantsOf(one, some)) {
      const made = { ...one, settings };
      if (!areMet(model, made, some)) continue;
      const found = axis.numbers.get(model.axes.describe(axis, made).key);
      if (found !== undefined && hasClass(set, found)) return made;
    }
    numTried += 1;
    if (numTried === TRIED_CLASSES) break;
  }
  return undefined;
}

function areMet({ axes: { partitions } }: GateModel, { kind, settings }: AxisClass, wishes: readonly Wish[]): boolean {
  const reader = new AttributeReader(toAttributes(BASE[kind], settings));
  const classes = new Map<number, number>();
  return wishes.every(({ atom: { partition, atom }, isTrue }) => {
    const some = partitions.all[partition]!;
    const number = classes.get(partition) ?? some.read(reader);
    classes.set(partition, number);
    return (some.truthOf(number, atom) === TRUE) === isTrue;
  });
}

/** Settings with texts made for what is wished. */
function* variantsOf({ settings }: AxisClass, wishes: readonly Wish[]): Generator<Settings> {
  yield settings;
  const wanted = wishes.filter(({ isTrue }) => isTrue).map(({ atom }) => atom);
  if (wanted.length === 0) return;
  const { field } = wanted[0]!.comparison;
  if (field === 'query') {
    const pairs = wanted.flatMap(({ comparison }) =>
      comparison.parameter === undefined
        ? samplesOf(comparison).slice(0, 1)
        : [`${encodeURIComponent(comparison.parameter)}=${encodeURIComponent(samplesOf(comparison)[0] ?? 'x')}`],
    );
    yield { ...settings, 'url.query': pairs.join('&') };
    return;
  }
  if (field === 'cookie') {
    const pairs = wanted.map(({ comparison }) => `${comparison.parameter}=${samplesOf(comparison)[0] ?? 'x'}`);
    yield { ...settings, 'http.request.header.cookie': [pairs.join('; ')] };
    return;
  }
  if (field === 'user' || field === 'group' || field === 'header') {
    const name =
      field === 'user'
        ? 'user.name'
        : field === 'group'
          ? 'jade.groups'
          : `http.request.header.${wanted[0]!.comparison.parameter}`;
    yield { ...settings, [name]: wanted.map(({ comparison }) => samplesOf(comparison)[0] ?? 'x') };
    return;
  }
  for (const [name, value] of Object.entries(settings)) {
    const text = Array.isArray(value) ? String(value[0]) : value;
    if (typeof text !== 'string') continue;
    const put = (made: string): Settings => ({ ...settings, [name]: Array.isArray(value) ? [made] : made });
    const ofName = wanted.filter(({ comparison }) => (name === 'url.path') === (comparison.field === 'path'));
    for (const made of arrange(text, ofName)) yield put(made);
  }
}

/** The wished parts around a text, in their places. */
function* arrange(text: string, wanted: readonly Atom[]): Generator<string> {
  const of = (operator: string): string[] =>
    wanted
      .filter(({ comparison }) => comparison.operator === operator)
      .map(({ comparison }) => samplesOf(comparison)[0] ?? '');
  const whole = wanted
    .filter(({ comparison: { operator } }) => operator === 'like' || operator === 'matches')
    .flatMap(({ comparison }) => samplesOf(comparison));
  const starts = of('starts');
  const middles = of('contains');
  const ends = of('ends');
  const longestStart = starts.sort((a, b) => b.length - a.length)[0] ?? '';
  const longestEnd = ends.sort((a, b) => b.length - a.length)[0] ?? '';
  const bodies = [
    text,
    '',
    ...whole,
    ...whole.flatMap((part) => [`${text}${part}`, `${text}/${part}`, `${part}${text}`]),
  ];
  for (const body of bodies)
    for (const glue of ['', '-', '/', '.', 'x']) {
      yield [longestStart, body, ...middles, longestEnd].filter((part) => part !== '').join(glue);
      yield [body, longestStart, ...middles, longestEnd].filter((part) => part !== '').join(glue);
      yield [longestStart, ...middles, body, longestEnd].filter((part) => part !== '').join(glue);
    }
}

/** Texts that satisfy a comparison by themselves. */
function samplesOf({ operator, values }: Atom['comparison']): string[] {
  return values.flatMap((value) => {
    if (value.kind !== 'text') return [];
    if (operator === 'like')
      return [
        value.text.replaceAll('*', '').replaceAll('?', 'x'),
        value.text.replaceAll('*', 'x').replaceAll('?', 'x'),
      ];
    if (operator === 'matches') return samplePattern(value.text);
    return [value.text];
  });
}
