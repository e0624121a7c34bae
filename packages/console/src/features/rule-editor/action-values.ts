import {
  DEFAULT_BLOCK_STATUS,
  DEFAULT_HOLD_MS,
  DEFAULT_LIMIT_STATUS,
  DEFAULT_REDIRECT_STATUS,
  KEY_FIELDS,
  printBytes,
  printDuration,
  printKey,
  type Action,
} from '@jadefence/core/language';

/** An action as the fields of its form hold it: what is written, even where it is not right yet. */
export interface ActionValues {
  readonly kind: Action['kind'];
  readonly isOutright: boolean;
  /** Of `block` and `redirect`, and of what a limit does then. */
  readonly status: string;
  /** The name of a page; empty for the built-in one. */
  readonly page: string;
  readonly url: string;
  /** The name of a passphrase. */
  readonly secret: string;
  readonly tags: readonly string[];
  readonly count: string;
  /** Such as `5m`. */
  readonly window: string;
  /** As the language writes them; none counts everyone together. */
  readonly keys: readonly string[];
  readonly isAcrossGates: boolean;
  /** Such as `2MB`, a second. */
  readonly rate: string;
  readonly direction: 'down' | 'up';
  /** Such as `10MB`; empty for what passes in a second. */
  readonly burst: string;
  readonly then: 'block' | 'redirect';
  /** How long a hold lasts, such as `30m`; of a limit, empty for none. */
  readonly hold: string;
}

const DEFAULT_STATUS: Partial<Record<Action['kind'], number>> = {
  limit: DEFAULT_LIMIT_STATUS,
  redirect: DEFAULT_REDIRECT_STATUS,
};

/** A good way to begin with an action. */
export function newAction(kind: Action['kind']): ActionValues {
  return {
    kind,
    isOutright: false,
    status: String(DEFAULT_STATUS[kind] ?? DEFAULT_BLOCK_STATUS),
    page: '',
    url: 'https://www.example/closed',
    secret: '',
    tags: [],
    count: '20',
    window: '5m',
    keys: ['client'],
    isAcrossGates: false,
    rate: '2MB',
    direction: 'down',
    burst: '',
    then: 'block',
    hold: kind === 'limit' ? '10m' : printDuration(DEFAULT_HOLD_MS),
  };
}

/** The fields of the form for an action that is there. */
export function valuesOfAction(action: Action): ActionValues {
  const values = newAction(action.kind);
  switch (action.kind) {
    case 'allow':
      return { ...values, isOutright: action.isOutright };
    case 'block':
      return { ...values, status: String(action.status), page: action.page?.name ?? '' };
    case 'redirect':
      return { ...values, url: action.url, status: String(action.status) };
    case 'warn':
    case 'passphrase':
    case 'challenge':
      return {
        ...values,
        secret: action.secret ?? '',
        page: action.page?.name ?? '',
        hold: printDuration(action.holdMs),
      };
    case 'limit': {
      const { count, windowMs, keys, isAcrossGates, then, holdMs } = action;
      return {
        ...values,
        count: String(count),
        window: printDuration(windowMs),
        keys: keys.map(printKey),
        isAcrossGates,
        then: then.kind,
        hold: holdMs === undefined ? '' : printDuration(holdMs),
        ...(then.kind === 'redirect'
          ? { url: then.url }
          : { status: String(then.status), page: then.page?.name ?? '' }),
      };
    }
    case 'throttle': {
      const { bytesPerSecond, direction, keys, isAcrossGates, burstBytes } = action;
      return {
        ...values,
        rate: printBytes(bytesPerSecond),
        direction,
        keys: keys.map(printKey),
        isAcrossGates,
        burst: burstBytes === bytesPerSecond ? '' : printBytes(burstBytes),
      };
    }
    case 'tag':
      return { ...values, tags: action.tags };
    case 'observe':
      return values;
  }
}

/** The action as fence text; what is not right in a field is not right in the text. */
export function writeAction(values: ActionValues): string {
  const { kind, status, url, secret, tags, count, window, keys, hold } = values;
  const page = values.page === '' ? '' : `page ${values.page}`;
  const block = `block ${status} ${page}`;
  const forHold = hold === '' ? '' : `for ${hold}`;
  switch (kind) {
    case 'allow':
      return values.isOutright ? 'allow outright' : 'allow';
    case 'block':
      return block;
    case 'redirect':
      return `redirect ${JSON.stringify(url)} ${status}`;
    case 'warn':
      return `warn ${page} ${forHold}`;
    case 'passphrase':
      return `passphrase ${secret} ${page} ${forHold}`;
    case 'challenge':
      return `challenge ${forHold}`;
    case 'limit': {
      const by = keys.length === 0 ? 'everyone' : keys.join(', ');
      const across = values.isAcrossGates ? 'across gates' : '';
      const then = values.then === 'block' ? block : `redirect ${JSON.stringify(url)}`;
      return `limit ${count} per ${window} by ${by} ${across} then ${then} ${forHold}`;
    }
    case 'throttle': {
      const by = keys.length === 0 ? 'everyone' : keys.join(', ');
      const across = values.isAcrossGates ? 'across gates' : '';
      const burst = values.burst === '' ? '' : `burst ${values.burst}`;
      return `throttle ${values.rate}/s ${values.direction} by ${by} ${across} ${burst}`;
    }
    case 'tag':
      return `tag ${tags.join(', ')}`;
    case 'observe':
      return 'observe';
  }
}

/** What a limit can count by without a name: the client in three ways, then the fields. */
export const KEY_OPTIONS: readonly { readonly value: string; readonly text?: string }[] = [
  { value: 'client', text: 'Client (an IPv6 client is its /64)' },
  { value: 'client exact', text: 'Client, each IPv6 address by itself' },
  { value: 'client /24 /48', text: 'Network of the client' },
  ...[...KEY_FIELDS]
    .filter((field) => !['header', 'cookie', 'query'].includes(field))
    .map((field) => ({ value: field as string })),
];
