import { useQuery } from '@tanstack/react-query';
import type { Draft, DraftFence, Replay, ReplayResult } from '@jadefence/contract';
import type { RuleSummary } from '@jadefence/core';
import { useState } from 'react';
import { draftQuery, replayResultQuery, replaysQuery } from '../../api/queries.js';
import { Choice } from '../../components/choice.js';
import { Hits } from '../../components/hits.js';
import { Card, Command, EmptyState, PageHeading } from '../../components/layout.js';
import { Loaded } from '../../components/loaded.js';
import { StateBadge } from '../../components/state-badge.js';

/** The rules of the draft in order, as sentences, with the hits of a replay. */
export function FencesPage() {
  const draft = useQuery(draftQuery);
  const replays = useQuery(replaysQuery);
  const done = (replays.data ?? []).filter((replay) => replay.state === 'done');
  const [chosenId, setChosenId] = useState<number>();
  const replayId = chosenId ?? done[0]?.id;
  const result = useQuery({ ...replayResultQuery(replayId ?? 0), enabled: replayId !== undefined });
  return (
    <>
      <PageHeading
        title="Fences"
        aside={replayId !== undefined && <ReplayChoice replays={done} value={replayId} onChange={setChosenId} />}
      >
        Rules are asked from top to bottom; the first that ends a fence decides it. The hits are those of the chosen
        replay.
      </PageHeading>
      <Loaded query={draft}>{(data) => <DraftFences draft={data} result={result.data} />}</Loaded>
    </>
  );
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
      options={replays.map(({ id, logName }) => ({ value: id, text: `Replay ${id}: ${logName}` }))}
    />
  );
}

function DraftFences({ draft, result }: { draft: Draft; result?: ReplayResult }) {
  if (draft.fences.length === 0) {
    return (
      <EmptyState title="No fences yet">
        Write some in a file and bring them in with <Command>jadefence fence import FILE</Command>.
      </EmptyState>
    );
  }
  const isOtherDraft = result !== undefined && result.snapshot !== draft.snapshot;
  const tallies = new Map(
    result?.summary.fences.flatMap((fence) =>
      fence.rules.map((rule) => [`${fence.fence}/${rule.rule}`, rule] as const),
    ),
  );
  const most = Math.max(0, ...[...tallies.values()].map((tally) => tally.hits));
  return (
    <>
      {isOtherDraft && (
        <p className="mb-4 rounded-lg bg-soft-limited px-3 py-2 text-sm text-limited">
          The draft has changed since this replay, so the hits are those of the rules as they were.
        </p>
      )}
      {draft.diagnostics.map((diagnostic) => (
        <p
          key={`${diagnostic.place.line}:${diagnostic.place.column}`}
          role="alert"
          className="mb-2 rounded-lg bg-soft-blocked px-3 py-2 text-sm text-blocked"
        >
          {diagnostic.message} {diagnostic.hint}
        </p>
      ))}
      {draft.fences.map((fence) => (
        <FenceCard key={fence.name} fence={fence} tallies={tallies} most={most} />
      ))}
    </>
  );
}

function FenceCard({
  fence,
  tallies,
  most,
}: {
  fence: DraftFence;
  tallies: ReadonlyMap<string, RuleSummary>;
  most: number;
}) {
  const heading = (
    <>
      {fence.title ?? fence.name} <span className="font-mono text-sm font-normal text-muted">{fence.name}</span>{' '}
      <StateBadge state={fence.mode} />
    </>
  );
  return (
    <Card
      title={heading}
      aside={
        <span className="text-sm text-muted">
          {fence.gates.length > 0 ? `at ${fence.gates.join(', ')}` : 'at no gate, so it is never asked'}
        </span>
      }
    >
      <ol>
        {fence.rules.map((rule, index) => {
          const tally = tallies.get(`${fence.name}/${rule.name}`);
          return (
            <li
              key={rule.name}
              className="grid grid-cols-[1.75rem_1fr] items-center gap-x-4 gap-y-1 border-b border-line px-4 py-3 last:border-b-0 sm:grid-cols-[1.75rem_1fr_auto]"
            >
              <span className="text-sm text-muted tabular-nums">{index + 1}</span>
              <div className="min-w-0">
                <p className="flex flex-wrap items-center gap-2">
                  <span className="font-mono text-sm font-medium">{rule.name}</span>
                  <StateBadge state={rule.state} />
                  {rule.title && <span className="text-sm text-muted">{rule.title}</span>}
                </p>
                <p className="mt-0.5">{rule.sentence}</p>
              </div>
              {tally && (
                <div className="col-start-2 sm:col-start-3">
                  <Hits hits={tally.hits} most={most} lastHitUnixMs={tally.lastHitUnixMs} />
                </div>
              )}
            </li>
          );
        })}
      </ol>
      <p className="bg-sunken px-4 py-2 text-sm text-muted">Otherwise {fence.otherwise}.</p>
    </Card>
  );
}
