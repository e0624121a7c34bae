import { PlusIcon } from '@heroicons/react/20/solid';
import { useQuery } from '@tanstack/react-query';
import type { Draft, DraftFence, Replay, ReplayResult } from '@jadefence/contract';
import type { RuleSummary } from '@jadefence/core/replay';
import { Input } from '@headlessui/react';
import { useDeferredValue, useEffect, useMemo, useState } from 'react';
import { Link } from 'react-router';
import { setAppearance, useAppearance } from '../../appearance.js';
import { useAddressState, wholeOf, type AddressState } from '../../address-state.js';
import { draftQuery, draftSourcesQuery, replayResultQuery, replaysQuery } from '../../api/queries.js';
import { Button } from '../../components/button.js';
import { Choice } from '../../components/choice.js';
import { EmptyState, PageHeading } from '../../components/layout.js';
import { Loaded } from '../../components/loaded.js';
import { INPUT_STYLE } from '../../components/text-field.js';
import { RuleEditor, type Edited } from '../rule-editor/rule-editor.js';
import { replayTitle } from '../evidence/replay-title.js';
import { exceptionRule } from '../evidence/next-steps.js';
import { ImportFences } from '../import/import-fences.js';
import { FenceCard } from './fence-card.js';
import { FenceForm } from './fence-form.js';
import { StartFrom } from './start-from.js';

/** Up to this many rules all are on the page, so that the browser finds text in them. */
const ALL_ROWS = 200;
const ADDRESS_DELAY_MS = 500;
const NO_TALLIES: ReadonlyMap<string, RuleSummary> = new Map();

/** The rules of the draft in order, as sentences, with the hits of a replay. */
export function FencesPage() {
  const { rows } = useAppearance();
  const draft = useQuery(draftQuery);
  const replays = useQuery(replaysQuery());
  const done = (replays.data ?? []).filter((replay) => replay.state === 'done');
  const { get, set } = useAddressState();
  const chosenId = wholeOf(get('replay'));
  const [edited, setEdited] = useState<Edited | undefined>(() => exceptionOf(get));
  const [filter, setFilter] = useState(get('text') ?? '');
  const [head, setHead] = useState<DraftFence>();
  const [isImporting, setImporting] = useState(false);
  const sources = useQuery({ ...draftSourcesQuery, enabled: head !== undefined }).data;
  const headText = sources?.parts.find(({ kind, name }) => kind === 'fence' && name === head?.name)?.text;
  // What is typed is shown first.
  const shownFilter = useDeferredValue(filter);
  const replayId = chosenId ?? done[0]?.id;
  const result = useQuery({ ...replayResultQuery(replayId ?? 0), enabled: replayId !== undefined });
  // A moment later, since the address is for the whole page.
  useEffect(() => {
    if ((get('text') ?? '') === filter) return;
    const timer = setTimeout(() => set({ text: filter }, true), ADDRESS_DELAY_MS);
    return () => clearTimeout(timer);
  }, [filter, get, set]);
  const close = (): void => {
    setEdited(undefined);
    set({ exception: undefined, client: undefined, path: undefined }, true);
  };
  return (
    <>
      <PageHeading
        title="Fences"
        aside={
          <span className="flex gap-2">
            <Button onClick={() => setImporting(true)}>Import files</Button>
            <StartFrom />
          </span>
        }
      >
        Rules are evaluated from top to bottom. Everything here is the draft until it is published.
      </PageHeading>
      <div className="mb-4 flex flex-wrap items-center justify-between gap-3">
        <Input
          aria-label="Show only rules with this text"
          placeholder="Show only rules with …"
          value={filter}
          onChange={(event) => setFilter(event.target.value)}
          className={`${INPUT_STYLE} max-w-72`}
        />
        <span className="flex flex-wrap items-center gap-4">
          <Choice
            label="Sentences"
            value={rows}
            options={[
              { value: 'lines', text: 'a line each' },
              { value: 'whole', text: 'whole' },
            ]}
            onChange={(value) => setAppearance({ rows: value })}
          />
          {replayId !== undefined && (
            <ReplayChoice replays={done} value={replayId} onChange={(id) => set({ replay: id })} />
          )}
        </span>
      </div>
      <Loaded query={draft}>
        {(data) => (
          <DraftFences draft={data} result={result.data} filter={shownFilter} onEdit={setEdited} onEditHead={setHead} />
        )}
      </Loaded>
      {isImporting && <ImportFences onClose={() => setImporting(false)} />}
      {edited && <RuleEditor edited={edited} onClose={close} />}
      {head && headText !== undefined && <FenceForm fence={head} text={headText} onClose={() => setHead(undefined)} />}
    </>
  );
}

/** The rule that an address requests: an exception for a client, above the rule that stopped it. */
function exceptionOf(get: AddressState['get']): Edited | undefined {
  const [fence, rule] = (get('exception') ?? '').split('/');
  const client = get('client');
  if (!fence || !rule || !client) return undefined;
  return {
    fence,
    text: exceptionRule(client, get('path')),
    title: `Exception above rule ${fence}/${rule}`,
    editOf: (text) => ({ kind: 'add-rule', fence, text, position: { at: 'above', name: rule } }),
  };
}

function ReplayChoice({
  replays,
  value,
  onChange,
}: {
  replays: readonly Replay[];
  value: number;
  onChange: (id: number) => void;
}) {
  return (
    <Choice
      label="Hits of"
      value={value}
      onChange={onChange}
      options={replays.map((replay) => ({ value: replay.id, text: replayTitle(replay) }))}
    />
  );
}

function talliesOf(result: ReplayResult | undefined): ReadonlyMap<string, RuleSummary> {
  return new Map(
    result?.summary.fences.flatMap((fence) =>
      fence.rules.map((rule) => [`${fence.fence}/${rule.rule}`, rule] as const),
    ),
  );
}

function DraftFences({
  draft,
  result,
  filter,
  onEdit,
  onEditHead,
}: {
  draft: Draft;
  result?: ReplayResult;
  filter: string;
  onEdit: (edited: Edited) => void;
  onEditHead: (fence: DraftFence) => void;
}) {
  const tallies = useMemo(() => talliesOf(result), [result]);
  const most = useMemo(() => [...tallies.values()].reduce((max, { hits }) => Math.max(max, hits), 0), [tallies]);
  const names = draft.fences.map(({ name }) => name).join(' ');
  // The same as long as no fence comes or goes, so that a card is drawn again only where its fence changes.
  const fences = useMemo(() => names.split(' '), [names]);
  const { rows } = useAppearance();
  const isLong = draft.fences.reduce((sum, { rules }) => sum + rules.length, 0) > ALL_ROWS;
  if (draft.fences.length === 0) {
    return (
      <EmptyState title="No fences yet">
        <PlusIcon aria-hidden className="mx-auto mb-2 size-6" />
        Begin from one of ours, or import fence files, with the buttons above.
      </EmptyState>
    );
  }
  const isOtherDraft = result !== undefined && result.snapshot !== draft.snapshot;
  const requested =
    result && new Set(result.summary.gates.filter(({ requests }) => requests > 0).map(({ gate }) => gate));
  const isReached = ({ gates }: Draft['fences'][number]): boolean =>
    !requested || gates.some((gate) => requested.has(gate));
  return (
    <>
      {isOtherDraft && (
        <p className="mb-4 rounded-lg bg-soft-limited px-3 py-2 text-sm text-limited">
          The draft has changed since this replay, so the hits are those of the rules as they were.{' '}
          <Link to="/revisions" className="underline">
            What changed
          </Link>
        </p>
      )}
      {draft.diagnostics.map((diagnostic) => (
        <p
          key={`${diagnostic.place.file}:${diagnostic.place.line}:${diagnostic.place.column}`}
          role="alert"
          className="mb-2 rounded-lg bg-soft-blocked px-3 py-2 text-sm text-blocked"
        >
          {diagnostic.message} {diagnostic.hint}
        </p>
      ))}
      {draft.warnings.map((warning) => (
        <p
          key={`${warning.place.file}:${warning.place.line}:${warning.place.column}`}
          className="mb-2 rounded-lg bg-soft-limited px-3 py-2 text-sm text-limited"
        >
          {warning.message} {warning.hint} The draft cannot be published until this is fixed.
        </p>
      ))}
      {draft.fences.map((fence) => (
        <FenceCard
          key={fence.name}
          fence={fence}
          fences={fences}
          isReached={isReached(fence)}
          tallies={isReached(fence) ? tallies : NO_TALLIES}
          most={most}
          filter={filter}
          isLong={isLong}
          isCompact={rows === 'lines'}
          onEdit={onEdit}
          onEditHead={onEditHead}
        />
      ))}
    </>
  );
}
