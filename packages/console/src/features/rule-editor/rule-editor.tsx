import { DialogPanel, DialogTitle } from '@headlessui/react';
import { useQuery } from '@tanstack/react-query';
import { ServiceError, type Draft, type Log, type MatchCount } from '@jadefence/contract';
import { parseRuleText, printRuleText, type Edit } from '@jadefence/core/edit';
import { describeRule, type Diagnostic, type Rule } from '@jadefence/core/language';
import { lazy, Suspense, useDeferredValue, useEffect, useState } from 'react';
import { hasProblem } from '../../api/client.js';
import { useEdit } from '../../api/edit.js';
import { draftQuery, logsQuery, matchesQuery } from '../../api/queries.js';
import { Button } from '../../components/button.js';
import { Choice } from '../../components/choice.js';
import { Modal } from '../../components/modal.js';
import { ErrorNotice } from '../../components/loaded.js';
import { useUnsaved } from '../../components/unsaved.js';
import { formatCount } from '../../format.js';
import { NewList } from '../lists/new-list.js';
import { Conflict, ruleOfText } from './conflict.js';
import { siteOf, useKnown, type KnownNames } from './known.js';
import { proposeName } from './propose-name.js';
import { RuleChips } from './rule-chips.js';
import { RuleFindings } from './rule-findings.js';
import { RuleFields } from './rule-fields.js';

const FenceText = lazy(() => import('./fence-text.js'));

/** What is edited: a rule that is there, or a new one at a place. */
export interface Edited {
  readonly fence: string;
  /** The rule that is there. */
  readonly rule?: string;
  /** Of a new rule: the names that the fence has already; its own follows what it does until it is written. */
  readonly takenNames?: ReadonlySet<string>;
  /** The text to begin with. */
  readonly text: string;
  readonly title: string;
  /** The edit that keeps a text. */
  readonly editOf: (text: string) => Edit;
}

/** The rule as chips and as text, side by side; each follows the other. */
export function RuleEditor({ edited, onClose }: { edited: Edited; onClose: () => void }) {
  const [text, setText] = useState(edited.text);
  const { rule, diagnostics } = parseRuleText(text);
  const lastRule = useLast(diagnostics.length === 0 ? rule : undefined);
  const logs = useQuery(logsQuery()).data ?? [];
  const [chosenLog, setChosenLog] = useState<number>();
  const [nthLog, setNthLog] = useState(0);
  const logId = chosenLog ?? logs[nthLog]?.id;
  const known = useKnown(logId, siteOf(lastRule?.condition));
  const draft = useQuery(draftQuery).data;
  const [opened, setOpened] = useState({ ...edited, version: draft?.version });
  const edit = useEdit(onClose, opened.version);
  const named = useProposedName(edited);
  const unsaved = useUnsaved(text !== edited.text && !edit.isSuccess);
  const cancel = (): void => unsaved.leave(onClose);
  const matches = useMatches(logId, text, edited.fence, draft?.version ?? 0, diagnostics.length === 0 && !!rule);
  // Unless one is chosen, it is the latest log that has requests for the gates of this fence.
  const isOfOtherGates = chosenLog === undefined && matches.count?.requests === 0 && !matches.isStale;
  if (isOfOtherGates && nthLog + 1 < logs.length) setNthLog(nthLog + 1);
  const sizes = new Map(draft?.lists.map(({ name, kind, numEntries = 0 }) => [name, { kind, numEntries }]));
  const all = [...diagnostics, ...matches.problems];
  return (
    <Modal onClose={cancel}>
      <DialogPanel className="mx-auto max-w-5xl rounded-xl border border-line bg-surface p-4 shadow-2xl md:p-6">
        {unsaved.question}
        <DialogTitle className="text-lg font-semibold">{edited.title}</DialogTitle>
        <div className="mt-4 grid gap-5 lg:grid-cols-2">
          <section>
            <h3 className="mb-2 text-sm font-medium text-muted">As a sentence</h3>
            {lastRule && (
              <RuleForm
                rule={lastRule}
                known={known}
                isNew={edited.takenNames !== undefined}
                onChange={(to) => setText(printRuleText(named(to)))}
              />
            )}
          </section>
          <RuleText text={text} problems={all} known={known} onChange={setText} />
        </div>
        <p className="mt-5 rounded-lg bg-sunken px-3 py-2" data-testid="sentence">
          {rule && diagnostics.length === 0 ? describeRule(rule, sizes) : 'The text cannot be read yet.'}
        </p>
        {rule && diagnostics.length === 0 && (
          <RuleFindings edit={edited.editOf(text)} rule={`${edited.fence}/${rule.name}`} />
        )}
        <div className="mt-3 flex flex-wrap items-center justify-between gap-3">
          <MatchLine matches={matches} />
          {logs.length > 0 && <LogChoice logs={logs} value={logId!} onChange={setChosenLog} />}
        </div>
        {edit.error && (
          <Refusal
            error={edit.error}
            edited={opened}
            mine={lastRule}
            onResolve={(resolved) => {
              setText(resolved);
              setOpened({ ...opened, version: draft?.version, text: ruleTextIn(draft, edited) ?? opened.text });
              edit.reset();
            }}
          />
        )}
        <div className="mt-5 flex flex-wrap justify-between gap-2">
          <NewList />
          <span className="flex gap-2">
            <Button onClick={cancel}>Cancel</Button>
            <Button
              look="primary"
              disabled={!rule || diagnostics.length > 0 || edit.isPending}
              onClick={() => edit.mutate([edited.editOf(text)])}
            >
              Save to draft
            </Button>
          </span>
        </div>
      </DialogPanel>
    </Modal>
  );
}

/** The rule as fence text, with what is wrong with it. */
function RuleText({
  text,
  problems,
  known,
  onChange,
}: {
  text: string;
  problems: readonly Diagnostic[];
  known: KnownNames;
  onChange: (text: string) => void;
}) {
  return (
    <section>
      <h3 className="mb-2 text-sm font-medium text-muted">As fence text</h3>
      <Suspense fallback={<p role="status">Loading …</p>}>
        <FenceText
          text={text}
          label="The rule as fence text"
          diagnostics={problems}
          known={known}
          onChange={onChange}
        />
      </Suspense>
      <Problems problems={problems} />
    </section>
  );
}

/** Everything of a rule without its text. */
function RuleForm(props: { rule: Rule; known: KnownNames; isNew: boolean; onChange: (rule: Rule) => void }) {
  return (
    <>
      <RuleChips {...props} />
      <RuleFields rule={props.rule} onChange={props.onChange} />
    </>
  );
}

/** Why the rule was not saved; where another user changed it meanwhile, both versions and the ways on. */
function Refusal({
  error,
  edited,
  mine,
  onResolve,
}: {
  error: Error;
  edited: Edited & { version: number | undefined };
  mine: Rule | undefined;
  onResolve: (text: string) => void;
}) {
  const { data: draft, isFetching } = useQuery(draftQuery);
  const before = ruleOfText(edited.text);
  if (!hasProblem(error, 'edit-conflict') || !before || !mine || edited.rule === undefined)
    return (
      <div className="mt-3">
        <ErrorNotice error={error} />
      </div>
    );
  // Until the draft is there as it is now, it is shown as an edit of ours would have made it.
  if (isFetching || !draft || draft.version === edited.version) return <p role="status">Loading …</p>;
  return (
    <Conflict
      before={before}
      theirs={ruleOfText(ruleTextIn(draft, edited))}
      mine={mine}
      by={draft.changedBy}
      onResolve={onResolve}
    />
  );
}

/** The rule that is edited, as a draft has it. */
function ruleTextIn(draft: Draft | undefined, { fence, rule }: Edited): string | undefined {
  const { rules = [] } = draft?.fences.find(({ name }) => name === fence) ?? {};
  return rules.find(({ name }) => name === rule)?.text;
}

/** Names a new rule after what it does, until a user gives it another name. */
function useProposedName({ text, takenNames }: Edited): (rule: Rule) => Rule {
  const [proposed, setProposed] = useState(takenNames && ruleOfText(text)?.name);
  return (rule) => {
    if (!takenNames || rule.name !== proposed) return rule;
    const name = proposeName(rule, takenNames);
    setProposed(name);
    return { ...rule, name };
  };
}

/** The last value there was. */
function useLast(value: Rule | undefined): Rule | undefined {
  const [last, setLast] = useState(value);
  if (value && value !== last && printRuleText(value) !== (last && printRuleText(last))) setLast(value);
  return last;
}

interface MatchState {
  readonly count?: MatchCount;
  readonly isStale: boolean;
  readonly isDown: boolean;
  readonly problems: readonly Diagnostic[];
}

const DEBOUNCE_MS = 250;

/** Fetches the exact count, a moment after the last change. */
function useMatches(
  logId: number | undefined,
  text: string,
  fence: string,
  version: number,
  isReadable: boolean,
): MatchState {
  const [requested, setRequested] = useState(text);
  const deferred = useDeferredValue(text);
  useEffect(() => {
    const timer = setTimeout(() => setRequested(deferred), DEBOUNCE_MS);
    return () => clearTimeout(timer);
  }, [deferred]);
  const query = useQuery({
    ...matchesQuery(logId ?? 0, requested, fence, version),
    enabled: logId !== undefined && isReadable && requested === text,
  });
  const problem = query.error instanceof ServiceError ? query.error.problem : undefined;
  const problems =
    hasProblem(query.error, 'invalid-text') && requested === text
      ? (problem?.errors ?? []).map(({ place, message }): Diagnostic => {
          const [line, column] = place.split(':').map(Number);
          return { code: 'unknown-name', message, place: { file: 'rule', line: line ?? 1, column: column ?? 1 } };
        })
      : [];
  return {
    count: query.data,
    isStale: requested !== text || query.isFetching || !isReadable,
    isDown: query.error !== null && problems.length === 0,
    problems,
  };
}

function MatchLine({ matches: { count, isStale, isDown } }: { matches: MatchState }) {
  if (isDown) return <p className="text-sm text-muted">How many requests match cannot be counted now.</p>;
  if (!count) return <p className="text-sm text-muted">How many requests match is counted over a log.</p>;
  return (
    <p role="status" className={`text-sm ${isStale ? 'text-muted' : ''}`}>
      Matches <strong className="tabular-nums">{formatCount(count.matching)}</strong> of{' '}
      <span className="tabular-nums">{formatCount(count.requests)}</span> requests at the gates of this fence
      {count.unknown > 0 && `, and cannot be known of ${formatCount(count.unknown)}`}
      {isStale && ' …'}
      {count.unseen.map(({ field, requests }) => (
        <span key={field} className="block text-limited">
          Cannot see the <span className="font-mono">{field}</span> of {formatCount(requests)} of{' '}
          {formatCount(count.requests)} requests here: it is encrypted and not inspected, or the log lacks it.
        </span>
      ))}
    </p>
  );
}

function LogChoice({ logs, value, onChange }: { logs: readonly Log[]; value: number; onChange: (id: number) => void }) {
  return (
    <Choice
      label="Counted over"
      value={value}
      onChange={onChange}
      options={logs.map(({ id, name }) => ({ value: id, text: name }))}
    />
  );
}

function Problems({ problems }: { problems: readonly Diagnostic[] }) {
  if (problems.length === 0) return null;
  return (
    <ul role="alert" className="mt-2 grid gap-1 text-sm text-blocked">
      {problems.map(({ message, hint, place }) => (
        <li key={`${place.line}:${place.column}:${message}`}>
          Line {place.line}: {message} {hint}
        </li>
      ))}
    </ul>
  );
}
