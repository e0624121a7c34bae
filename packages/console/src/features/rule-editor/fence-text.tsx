/** Fence text with completion and errors under it. Loaded only where it is needed, since the editor is large. */
import {
  autocompletion,
  closeBrackets,
  type Completion,
  type CompletionContext,
  type CompletionResult,
} from '@codemirror/autocomplete';
import { HighlightStyle, StreamLanguage, syntaxHighlighting } from '@codemirror/language';
import { linter, type Diagnostic as LintDiagnostic } from '@codemirror/lint';
import { EditorState } from '@codemirror/state';
import { EditorView, placeholder } from '@codemirror/view';
import { tags } from '@lezer/highlight';
import { minimalSetup } from 'codemirror';
import { FIELD_INFOS } from '@jadefence/core/edit';
import { ACTIONS, type Diagnostic } from '@jadefence/core/language';
import { listCountries, REGIONS } from '@jadefence/core/reference';
import { useEffect, useRef } from 'react';
import type { KnownNames } from './known.js';

const WORDS = new Set(
  'rule when and or not in under like starts ends contains matches is present absent always during outside until if unknown match owner reason then for by per across gates page anycase outright off trial'.split(
    ' ',
  ),
);
const FIELD_WORDS = new Set(FIELD_INFOS.flatMap(({ field }) => field.split(' ')));
const ACTION_WORDS = new Set<string>(ACTIONS);

const language = StreamLanguage.define<{ isCondition: boolean }>({
  startState: () => ({ isCondition: false }),
  token(stream, state) {
    if (stream.eatSpace()) return null;
    if (stream.match(/^"(?:[^"\\\n]|\\.)*"?/)) return 'string';
    if (stream.match(/^#.*/)) return 'comment';
    const [word] = (stream.match(/^[^\s,{}()"]+/) as RegExpMatchArray | null) ?? [];
    if (word === undefined) {
      stream.next();
      return null;
    }
    if (word === 'when') state.isCondition = true;
    if (word === 'rule') state.isCondition = false;
    // A tag is set by an action and tested in a condition.
    if (!state.isCondition && ACTION_WORDS.has(word)) return 'keyword';
    if (WORDS.has(word)) return 'operator';
    return FIELD_WORDS.has(word) ? 'propertyName' : null;
  },
});

const colours = HighlightStyle.define([
  { tag: tags.keyword, color: 'var(--color-jade)', fontWeight: '600' },
  { tag: tags.operator, color: 'var(--color-muted)' },
  { tag: tags.propertyName, color: 'var(--color-redirected)' },
  { tag: tags.string, color: 'var(--color-held)' },
  { tag: tags.comment, color: 'var(--color-muted)', fontStyle: 'italic' },
]);

const theme = EditorView.theme({
  '&': {
    backgroundColor: 'var(--color-ground)',
    color: 'var(--color-ink)',
    borderRadius: '0.5rem',
    fontSize: '0.875rem',
  },
  '&.cm-focused': { outline: '2px solid var(--color-jade)', outlineOffset: '2px' },
  '.cm-content': {
    fontFamily: 'var(--font-mono)',
    padding: '0.5rem',
    caretColor: 'var(--color-ink)',
    minHeight: '6rem',
  },
  '.cm-tooltip': {
    backgroundColor: 'var(--color-surface)',
    border: '1px solid var(--color-line)',
    color: 'var(--color-ink)',
  },
  '.cm-tooltip-autocomplete ul li[aria-selected]': {
    backgroundColor: 'var(--color-jade-soft)',
    color: 'var(--color-ink)',
  },
  '.cm-cursor': { borderLeftColor: 'var(--color-ink)' },
});

export interface FenceTextProps {
  readonly text: string;
  readonly label: string;
  readonly diagnostics: readonly Diagnostic[];
  readonly known: KnownNames;
  readonly onChange: (text: string) => void;
}

export default function FenceText({ text, label, diagnostics, known, onChange }: FenceTextProps) {
  const host = useRef<HTMLDivElement>(null);
  const view = useRef<EditorView>(undefined);
  // The sources of completion, created once.
  const latest = useRef({ diagnostics, known, onChange });
  useEffect(() => {
    latest.current = { diagnostics, known, onChange };
  });
  useEffect(() => {
    const editor = new EditorView({
      parent: host.current!,
      state: EditorState.create({
        doc: text,
        extensions: [
          minimalSetup,
          language,
          syntaxHighlighting(colours),
          closeBrackets(),
          EditorView.lineWrapping,
          EditorView.contentAttributes.of({ 'aria-label': label }),
          placeholder('rule name block when ...'),
          theme,
          autocompletion({ override: [(context) => complete(context, latest.current.known)] }),
          linter((editorView) => latest.current.diagnostics.map((diagnostic) => lintOf(editorView, diagnostic)), {
            delay: 300,
          }),
          EditorView.updateListener.of((update) => {
            if (update.docChanged) latest.current.onChange(update.state.doc.toString());
          }),
        ],
      }),
    });
    view.current = editor;
    return () => editor.destroy();
    // The text that it begins with; later ones come by the effect below.
    // eslint-disable-next-line react-hooks/exhaustive-deps
  }, []);
  useEffect(() => {
    const editor = view.current;
    if (!editor || editor.state.doc.toString() === text) return;
    editor.dispatch({ changes: { from: 0, to: editor.state.doc.length, insert: text } });
  }, [text]);
  return <div ref={host} />;
}

function lintOf(view: EditorView, { place, message, hint }: Diagnostic): LintDiagnostic {
  const line = view.state.doc.line(Math.min(place.line, view.state.doc.lines));
  const from = Math.min(line.to, line.from + Math.max(0, place.column - 1));
  const word = /^[^\s,(){}]+/.exec(view.state.doc.sliceString(from, line.to))?.[0] ?? '';
  return {
    from,
    to: Math.max(from, from + word.length),
    severity: 'error',
    message: hint ? `${message} ${hint}` : message,
  };
}

const COUNTRIES = listCountries();

/** Fields where a comparison begins, operators behind a field, and its possible values. */
function complete(context: CompletionContext, known: KnownNames): CompletionResult | null {
  const before = context.state.doc.sliceString(0, context.pos);
  const word = /[^\s,(){}"]*$/.exec(before)![0];
  if (word === '' && !context.explicit && !/\s$/.test(before)) return null;
  const options = optionsAfter(before.slice(0, before.length - word.length).trimEnd(), known);
  return options.length === 0 ? null : { from: context.pos - word.length, options, validFor: /^[^\s,(){}"]*$/ };
}

function optionsAfter(before: string, known: KnownNames): Completion[] {
  const named = (labels: readonly string[], detail: string): Completion[] => labels.map((label) => ({ label, detail }));
  if (/(^|\s)rule\s+[a-z0-9-]+(\s+"[^"]*")?(\s+(off|trial))?$/.test(before)) return named(ACTIONS, 'action');
  if (/(\s|\()(when|and|or|not)$|\($/.test(before))
    return named(['not', ...FIELD_INFOS.map(({ field }) => field)], 'field');
  if (/\s(during|outside)$/.test(before)) return named(known.schedules, 'schedule');
  if (/\spage$/.test(before)) return named(known.pages, 'page');
  const requested =
    /(?:^|[\s(])(server country|[a-z-]+)(?:\s+"[^"]*")?(\s+(?:not in|in|=|!=|is)(?:\s+[^\s,]+\s*,)*)?$/.exec(before);
  const info = requested && FIELD_INFOS.find(({ field }) => field === requested[1]);
  if (!info) return named(['and', 'or', 'during', 'outside', 'until', 'if unknown match', 'owner', 'reason'], '');
  if (requested[2] === undefined) return named(info.operators, 'operator');
  const lists = known.lists.filter(({ kind }) => kind === info.listKind).map(({ name }) => name);
  return [
    ...named(lists, 'list'),
    ...(info.listKind === 'countries' ? named([...REGIONS.keys()], 'region') : []),
    ...(info.listKind === 'countries'
      ? COUNTRIES.map(({ code, name }) => ({ label: name, apply: code, detail: code }))
      : []),
    ...(info.field === 'category' ? named(known.categories, 'category') : []),
    ...(info.field === 'application' ? named(known.applications, 'application') : []),
    ...named(info.words ?? [], ''),
  ];
}
