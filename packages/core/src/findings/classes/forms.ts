/** The forms of requests that there are: which values go together. */
import type { Axes, AxisClass, Kind } from './axes.js';
import { classSet, isEmptySet, type Box } from './boxes.js';

const HTTP_AXES = /^(host|path|port|method|agent|query|cookie|size|header .*)$/;

/** A form of requests. */
interface Form {
  readonly encrypted: readonly boolean[];
  /** The scheme alone shows whether it is encrypted. */
  readonly bySchemes?: boolean;
  /** Whether the first bytes are TLS; either, if absent. */
  readonly isTls?: boolean;
  readonly method: Kind;
  readonly path: readonly Kind[];
  readonly host: readonly Kind[];
  readonly others: readonly Kind[];
  /** What first bytes and transport make of HTTP fields, where it is not HTTP. */
  readonly flow?: null | undefined;
  readonly isHttp: boolean;
}

const KNOWN = ['http', 'lacking'] as const;
const HTTP = { isHttp: true, others: KNOWN } as const;
const FORMS: readonly Form[] = [
  ...(
    [
      ['http', KNOWN],
      ['lacking', ['http']],
    ] as const
  ).flatMap(([method, path]): Form[] => [
    { ...HTTP, encrypted: [false, true], bySchemes: true, isTls: false, method, path, host: KNOWN },
    { ...HTTP, encrypted: [true], isTls: false, method, path, host: ['named'] },
    { ...HTTP, encrypted: [true], isTls: true, method, path, host: [...KNOWN, 'named'] },
  ]),
  { ...HTTP, encrypted: [true], method: 'connect', path: ['connect'], host: [...KNOWN, 'named', 'connect'] },
  ...([null, undefined] as const).flatMap((flow): Form[] => {
    const kind = flow === null ? 'none' : 'unknown';
    const other = { isHttp: false, method: kind, path: [kind], others: [kind], flow } as const;
    return [
      { ...other, encrypted: [true], isTls: false, host: ['server-name'] },
      { ...other, encrypted: [false], isTls: false, host: [kind] },
      { ...other, encrypted: [true], isTls: true, host: ['server-name', kind] },
    ];
  }),
];

function fits(form: Form, name: string, one: AxisClass): boolean {
  if (name === 'flow')
    return (form.isTls ?? one.isEncrypted) === one.isEncrypted && (form.isHttp || one.httpDefault === form.flow);
  if (!HTTP_AXES.test(name)) return true;
  if (name === 'method') return one.kind === form.method;
  if (name === 'path') return form.path.includes(one.kind);
  if (name !== 'host') return form.others.includes(one.kind);
  if (!form.host.includes(one.kind)) return false;
  // A host that is chosen with its path: both, or the method, must be there.
  if (!('url.path' in one.settings)) return one.kind !== 'connect';
  if (form.method === 'connect') return one.kind === 'connect';
  return one.kind !== 'connect' && (form.method === 'http' || one.settings['url.path'] !== undefined);
}

/** Of each form its requests, encrypted or not. */
export function formBoxes(
  { all }: Axes,
  isWanted: (axis: string, one: AxisClass) => boolean,
): { readonly box: Box; readonly isEncrypted: boolean }[] {
  return FORMS.flatMap((form) =>
    form.encrypted.flatMap((isEncrypted) => {
      const box = all.map(({ name, classes }) =>
        classSet(classes.length, (number) => {
          const one = classes[number]!;
          return (
            isWanted(name, one) &&
            fits(form, name, one) &&
            (name !== 'port' || !form.bySchemes || one.isEncrypted === isEncrypted)
          );
        }),
      );
      return box.some(isEmptySet) ? [] : [{ box, isEncrypted }];
    }),
  );
}
