import { CheckCircleIcon, EyeIcon } from '@heroicons/react/20/solid';
import { keepPreviousData, useQuery } from '@tanstack/react-query';
import type { DraftFence, Edit, FenceReadiness } from '@jadefence/contract';
import { Link } from 'react-router';
import { useAddressState } from '../../address-state.js';
import { service } from '../../api/client.js';
import { useEdit } from '../../api/edit.js';
import { draftQuery } from '../../api/queries.js';
import { Button } from '../../components/button.js';
import { Choice } from '../../components/choice.js';
import { Card, EmptyState, PageHeading, WideTable } from '../../components/layout.js';
import { ErrorNotice, Loaded, Loading } from '../../components/loaded.js';
import { countOf, formatCount, formatShare } from '../../format.js';

const SHOWN_CLIENTS = 25;
const SHOWN_COUNTRIES = 12;

/** Whether what is on trial is ready to be enforced: what it would have stopped, and whom. */
export function ReadinessPage() {
  const draft = useQuery(draftQuery);
  return (
    <>
      <PageHeading title="Ready to enforce?">
        What fences and rules on trial would have stopped in the latest replay of each log, and who probably should not
        be stopped.
      </PageHeading>
      <Loaded query={draft}>
        {({ fences, snapshot }) => {
          const onTrial = fences.filter(isOnTrial);
          return onTrial.length === 0 ? (
            <EmptyState title="Nothing is on trial">
              A rule or fence on trial stops nothing and is counted all the same. Put one on trial under{' '}
              <Link to="/fences" className="text-jade underline">
                Fences
              </Link>
              .
            </EmptyState>
          ) : (
            <Trials fences={onTrial} snapshot={snapshot} />
          );
        }}
      </Loaded>
    </>
  );
}

function isOnTrial({ mode, rules }: DraftFence): boolean {
  return mode === 'trial' || rules.some(({ state }) => state === 'trial');
}

function Trials({ fences, snapshot }: { fences: readonly DraftFence[]; snapshot: string }) {
  const { get, set } = useAddressState();
  const fence = fences.find(({ name }) => name === get('fence')) ?? fences[0]!;
  const readiness = useQuery({
    queryKey: ['draft', 'readiness', fence.name, snapshot],
    queryFn: () => service.readiness(fence.name),
    placeholderData: keepPreviousData,
    retry: false,
  });
  const edit = useEdit();
  return (
    <>
      <div className="mb-4">
        <Choice
          label="Fence"
          value={fence.name}
          options={fences.map(({ name, title }) => ({ value: name, text: title ? `${title} (${name})` : name }))}
          onChange={(name) => set({ fence: name })}
        />
      </div>
      {edit.error && <ErrorNotice error={edit.error} />}
      {readiness.error && <ErrorNotice error={readiness.error} />}
      {readiness.isPending && <Loading />}
      {readiness.data && !readiness.error && (
        <div className={readiness.isPlaceholderData ? 'opacity-60' : ''}>
          <VerdictNotice
            readiness={readiness.data}
            fence={fence}
            isEditing={edit.isPending}
            onEdit={(edits) => edit.mutate(edits)}
          />
          <Rules readiness={readiness.data} />
          <Clients readiness={readiness.data} />
          <div className="grid gap-4 lg:grid-cols-2">
            <Countries readiness={readiness.data} />
            <Days readiness={readiness.data} />
          </div>
        </div>
      )}
    </>
  );
}

const VERDICTS = {
  'ready': 'Ready to be enforced',
  'look': 'Look at these clients first',
  'untried': 'Never tried',
  'nothing-in-trial': 'Nothing is on trial',
} as const;

/** The answer, why, and the step to take. */
function VerdictNotice({
  readiness: { verdict, reasons, numEarlier, replays },
  fence,
  isEditing,
  onEdit,
}: {
  readiness: FenceReadiness;
  fence: DraftFence;
  isEditing: boolean;
  onEdit: (edits: readonly Edit[]) => void;
}) {
  const isReady = verdict === 'ready';
  const Icon = isReady ? CheckCircleIcon : EyeIcon;
  return (
    <section
      aria-label="Verdict"
      className={`mb-4 flex flex-wrap items-start gap-3 rounded-xl border px-4 py-3 ${isReady ? 'border-jade bg-jade-soft' : 'border-limited bg-soft-limited'}`}
    >
      <Icon aria-hidden className={`mt-0.5 size-5 shrink-0 ${isReady ? 'text-jade-strong' : 'text-limited'}`} />
      <div className="min-w-64 grow text-sm">
        <h2 className="text-base font-semibold">{VERDICTS[verdict]}</h2>
        <ul className="mt-1 grid gap-0.5">
          {reasons.map((reason) => (
            <li key={reason}>{reason}</li>
          ))}
        </ul>
        {replays.length > 0 && (
          <p className="mt-2 text-muted">
            From{' '}
            {replays.map(({ id, name, logName }, at) => (
              <span key={id}>
                {at > 0 && ', '}
                <Link to={`/replays/${id}`} className="underline">
                  {name ?? logName}
                </Link>
              </span>
            ))}
            {numEarlier > 0 && `. ${countOf(numEarlier, 'replay')} by an earlier form of the fence left out`}.
          </p>
        )}
        {verdict === 'untried' && (
          <p className="mt-2">
            <Link to="/logs" className="text-jade underline">
              Replay a log by the draft
            </Link>
          </p>
        )}
      </div>
      {verdict !== 'nothing-in-trial' && (
        <Button
          look={isReady ? 'primary' : undefined}
          disabled={isEditing}
          onClick={() => onEdit(enforcing(fence))}
          title="It is enforced in the draft, so that replays judge by it; publish it next"
        >
          {fence.mode === 'trial' ? 'Enforce it' : `Turn on ${trialsOf(fence).join(', ')}`}
        </Button>
      )}
    </section>
  );
}

function trialsOf({ rules }: DraftFence): string[] {
  return rules.flatMap(({ name, state }) => (state === 'trial' ? [name] : []));
}

/** The one step that ends the trial. */
function enforcing(fence: DraftFence): Edit[] {
  if (fence.mode === 'trial') return [{ kind: 'set-mode', fence: fence.name, mode: 'enforce' }];
  return trialsOf(fence).map((rule) => ({ kind: 'set-rule', fence: fence.name, rule, state: 'on' }));
}

function Rules({ readiness: { fence, rules } }: { readiness: FenceReadiness }) {
  if (rules.length === 0) return null;
  return (
    <Card title="By rule">
      <WideTable label="What each rule on trial would stop">
        <Head names={['rule']} figures={['would stop', 'of them pass today', 'clients']} />
        <tbody>
          {rules.map(({ rule, wouldStop, newlyStopped, clients }) => (
            <tr key={rule ?? ''} className="border-b border-line last:border-b-0">
              <th scope="row" className="px-4 py-1.5 font-mono text-xs font-normal">
                {rule ? `${fence}/${rule}` : `otherwise of ${fence}`}
              </th>
              <Figure value={wouldStop} />
              <Figure value={newlyStopped} />
              <Figure value={clients} />
            </tr>
          ))}
        </tbody>
      </WideTable>
    </Card>
  );
}

function Clients({ readiness: { clients, numClients, numLegitimate, replays } }: { readiness: FenceReadiness }) {
  if (clients.length === 0) return null;
  const latest = replays[0]!.id;
  return (
    <Card
      title="Clients it would stop"
      aside={
        <span className="text-sm text-muted">
          {formatCount(numLegitimate)} of {formatCount(numClients)} probably legitimate
        </span>
      }
    >
      <WideTable label="Clients it would stop">
        <Head
          names={['client', 'country']}
          figures={['would be stopped', 'passes']}
          last="why it is probably legitimate"
        />
        <tbody>
          {clients.slice(0, SHOWN_CLIENTS).map((one) => (
            <tr key={one.client} className="border-b border-line last:border-b-0">
              <th scope="row" className="px-4 py-1.5 font-mono text-xs font-normal">
                <Link
                  to={`/replays/${latest}?${new URLSearchParams({ where: `client = ${one.client}` })}`}
                  className="hover:underline"
                  title="Its requests in the latest replay"
                >
                  {one.client}
                </Link>
              </th>
              <td className="px-4 py-1.5">{one.country ?? ''}</td>
              <Figure value={one.newlyStopped} />
              <Figure value={one.passing} />
              <td className={`px-4 py-1.5 ${one.protectedBy === undefined ? '' : 'font-medium text-blocked'}`}>
                {one.reasons.join(' ')}
              </td>
            </tr>
          ))}
        </tbody>
      </WideTable>
      {numClients > SHOWN_CLIENTS && (
        <p className="px-4 py-2 text-sm text-muted">
          {formatCount(numClients - SHOWN_CLIENTS)} more; jadefence fence readiness has 100 of them as JSON.
        </p>
      )}
    </Card>
  );
}

function Countries({ readiness: { countries } }: { readiness: FenceReadiness }) {
  if (countries.length === 0) return null;
  return (
    <Card title="By country">
      <WideTable label="What it would stop by country">
        <Head names={['country']} figures={['would be stopped', 'clients']} />
        <tbody>
          {countries.slice(0, SHOWN_COUNTRIES).map(({ country, newlyStopped, clients }) => (
            <tr key={country ?? ''} className="border-b border-line last:border-b-0">
              <th scope="row" className="px-4 py-1.5 font-normal">
                {country ?? 'none or unknown'}
              </th>
              <Figure value={newlyStopped} />
              <Figure value={clients} />
            </tr>
          ))}
        </tbody>
      </WideTable>
    </Card>
  );
}

function Days({ readiness: { days } }: { readiness: FenceReadiness }) {
  if (days.length === 0) return null;
  return (
    <Card title="Day by day">
      <WideTable label="What it would stop each day">
        <Head names={['day (UTC)']} figures={['requests', 'would be stopped', '']} />
        <tbody>
          {days.map(({ day, requests, newlyStopped }) => (
            <tr key={day} className="border-b border-line last:border-b-0">
              <th scope="row" className="px-4 py-1.5 font-normal">
                {day}
              </th>
              <Figure value={requests} />
              <Figure value={newlyStopped} />
              <td className="px-4 py-1.5 text-right text-muted">{formatShare(newlyStopped / requests)}</td>
            </tr>
          ))}
        </tbody>
      </WideTable>
    </Card>
  );
}

function Head({ names, figures, last }: { names: readonly string[]; figures: readonly string[]; last?: string }) {
  return (
    <thead className="text-muted">
      <tr className="border-b border-line">
        {names.map((name) => (
          <th key={name} scope="col" className="px-4 py-1.5 font-medium">
            {name}
          </th>
        ))}
        {figures.map((name) => (
          <th key={name} scope="col" className="px-4 py-1.5 text-right font-medium">
            {name === '' ? <span className="sr-only">share</span> : name}
          </th>
        ))}
        {last && (
          <th scope="col" className="px-4 py-1.5 font-medium">
            {last}
          </th>
        )}
      </tr>
    </thead>
  );
}

function Figure({ value }: { value: number }) {
  return <td className="px-4 py-1.5 text-right">{formatCount(value)}</td>;
}
