/** The pages of rules that name none: one for each way to stop a client. */
import type { Outcome } from '../language/outcomes.js';

export const DEFAULT_PAGES = ['block', 'limit', 'warn', 'passphrase', 'challenge'] as const;
export type DefaultPage = (typeof DEFAULT_PAGES)[number];

interface PageWords {
  readonly title: string;
  readonly text: string;
  /** The form with which the person goes on. */
  readonly form?: string;
}

const WORDS: Readonly<Record<DefaultPage, PageWords>> = {
  block: {
    title: 'This is not available to you',
    text: '{{host}} does not answer this request.',
  },
  limit: {
    title: 'Too many requests',
    text: 'Requests to {{host}} come faster than it allows. Please wait a while, then try again.',
  },
  warn: {
    title: 'Before you go on',
    text: 'Please check whether you need {{host}} for your work.',
    form: '<button>Go on</button>',
  },
  passphrase: {
    title: 'A passphrase is needed',
    text: '{{host}} opens with a passphrase.',
    form: '<label for="passphrase">Passphrase</label><input id="passphrase" name="passphrase" type="password" autocomplete="off" required><button>Open</button>',
  },
  challenge: {
    title: 'Please confirm',
    text: 'Confirm that you, and not a program, request {{host}}.',
    form: '<button>I am a person</button>',
  },
};

const STYLE = `
:root { color-scheme: light dark; }
body { margin: 0; min-height: 100vh; display: grid; place-items: center; background: #f4f2ee; color: #2b2a27; font: 1.05rem/1.55 system-ui, sans-serif; }
main { max-width: 34rem; margin: 1.5rem; padding: 2rem; background: #fff; border: 1px solid #d8d3ca; border-top: 4px solid #1f6f5c; border-radius: .75rem; }
h1 { margin: 0 0 .75rem; font-size: 1.5rem; line-height: 1.25; }
dl { display: grid; grid-template-columns: auto 1fr; gap: .25rem 1rem; margin: 1.5rem 0 0; font-size: .9rem; color: #5d5950; }
p:empty, dd:empty, dt:has(+ dd:empty) { display: none; }
dt { font-weight: 600; } dd { margin: 0; overflow-wrap: anywhere; }
form { display: grid; gap: .5rem; margin-top: 1.25rem; justify-items: start; }
button { font: inherit; padding: .5rem 1.25rem; border: 0; border-radius: .5rem; background: #1f6f5c; color: #fff; }
input { font: inherit; padding: .45rem .6rem; border: 1px solid #8a847a; border-radius: .5rem; }
:focus-visible { outline: 3px solid #c77d2e; outline-offset: 2px; }
@media (prefers-color-scheme: dark) {
  body { background: #1b1d1c; color: #ece9e3; } main { background: #262928; border-color: #43474a; border-top-color: #4fae94; }
  dl { color: #b5b0a6; } button { background: #4fae94; color: #10211c; }
}`;

/** The text of a default page, with its placeholders. */
export function defaultPageText(page: DefaultPage): string {
  const { title, text, form } = WORDS[page];
  return `<!doctype html>
<html lang="en">
<head>
<meta charset="utf-8">
<meta name="viewport" content="width=device-width, initial-scale=1">
<title>${title}</title>
<style>${STYLE}
</style>
</head>
<body>
<main>
<h1>${title}</h1>
<p>${text}</p>
<p>{{reason}}</p>
${form === undefined ? '' : `<form method="post">${form}</form>\n`}<dl>
<dt>Rule</dt><dd>{{rule}}</dd>
<dt>Contact</dt><dd>{{contact}}</dd>
<dt>Your address</dt><dd>{{client}}</dd>
<dt>Time</dt><dd>{{time}}</dd>
<dt>Request</dt><dd>{{request-id}}</dd>
</dl>
</main>
</body>
</html>
`;
}

/** The default page of a decision that stops; undefined where it shows no page. */
export function defaultPageOf(
  outcome: Outcome,
  reason: 'warning' | 'passphrase' | 'challenge' | undefined,
): DefaultPage | undefined {
  if (outcome === 'blocked') return 'block';
  if (outcome === 'limited') return 'limit';
  if (outcome !== 'held') return undefined;
  return reason === 'warning' ? 'warn' : reason;
}
