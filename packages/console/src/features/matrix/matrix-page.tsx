import { DialogPanel, DialogTitle } from '@headlessui/react';
import { keepPreviousData, useQuery } from '@tanstack/react-query';
import type { Edit } from '@jadefence/contract';
import { labelOf, type Matrix, type MatrixCell } from '@jadefence/core/expectations';
import { useState, type FormEvent } from 'react';
import { useAddressState } from '../../address-state.js';
import { useEdit } from '../../api/edit.js';
import { service } from '../../api/client.js';
import { draftQuery } from '../../api/queries.js';
import { Button } from '../../components/button.js';
import { ExplanationSteps } from '../../components/explanation-steps.js';
import { Card, PageHeading, WideTable } from '../../components/layout.js';
import { ErrorNotice, Loaded, Loading } from '../../components/loaded.js';
import { Modal } from '../../components/modal.js';
import { OutcomeLabel } from '../../components/outcome.js';
import { INPUT_STYLE } from '../../components/text-field.js';
import { formatTime, parseTime, zoneName } from '../../format.js';

/** Who reaches what: clients by destinations, judged by the draft. */
export function MatrixPage() {
  const { get, set } = useAddressState();
  const draft = useQuery(draftQuery);
  const lines = (key: string): string[] => linesOf(get(key) ?? '');
  const [clients, to, at] = [lines('clients'), lines('to'), lines('at')];
  // Without times all of it is about one instant, however often the draft changes meanwhile.
  const [now] = useState(() => Date.now());
  const isReady = clients.length > 0 && to.length > 0;
  const matrix = useQuery({
    queryKey: ['draft', 'matrix', clients, to, at, draft.data?.snapshot],
    queryFn: () =>
      service.matrix({
        clients,
        to,
        against: 'draft',
        at: (at.length === 0 ? [now] : at.map(Number)).map((time) => new Date(time).toISOString()),
      }),
    enabled: isReady && draft.data !== undefined,
    placeholderData: keepPreviousData,
    retry: false,
  });
  return (
    <>
      <PageHeading title="Matrix">
        What becomes of each client at each destination, by the rules of the draft. Every client that is stopped should
        have another that passes, and the other way round.
      </PageHeading>
      <MatrixForm key={`${get('clients')} ${get('to')} ${get('at')}`} clients={clients} to={to} at={at} onShow={set} />
      {matrix.error && <ErrorNotice error={matrix.error} />}
      {isReady && matrix.isPending && <Loading />}
      {matrix.data && <Result matrix={matrix.data} />}
    </>
  );
}

function linesOf(text: string): string[] {
  return text.split('\n').flatMap((line) => line.trim() || []);
}

/** One line each: clients, destinations, times. */
function MatrixForm({
  clients,
  to,
  at,
  onShow,
}: {
  clients: readonly string[];
  to: readonly string[];
  at: readonly string[];
  onShow: (changes: Record<string, string>) => void;
}) {
  const [values, setValues] = useState({
    clients: clients.join('\n'),
    to: to.join('\n'),
    at: at.map((time) => formatTime(Number(time))).join('\n'),
  });
  const times = linesOf(values.at).map(parseTime);
  const isRight = times.every((time) => time !== undefined);
  const submit = (event: FormEvent): void => {
    event.preventDefault();
    if (isRight) onShow({ clients: values.clients.trim(), to: values.to.trim(), at: times.join('\n') });
  };
  const area = (key: keyof typeof values, label: string, placeholder: string, problem?: string) => (
    <label className="text-sm">
      <span className="font-medium">{label}</span>
      <textarea
        rows={4}
        value={values[key]}
        placeholder={placeholder}
        onChange={(event) => setValues({ ...values, [key]: event.target.value })}
        className={`mt-1 font-mono ${INPUT_STYLE}`}
      />
      {problem && (
        <span role="alert" className="text-blocked">
          {problem}
        </span>
      )}
    </label>
  );
  return (
    <Card>
      <form onSubmit={submit} className="grid gap-4 p-4">
        <div className="grid gap-4 sm:grid-cols-3">
          {area('clients', 'Clients: addresses, user@address, lists', 'head-office\n198.19.96.12')}
          {area(
            'to',
            'Destinations: URLs, hosts, applications',
            'tickets.larkmoor.example/login\nstudio.larkmoor.example',
          )}
          {area(
            'at',
            `Times (${zoneName()}); now where empty`,
            '2026-10-12 10:00:00',
            isRight ? undefined : 'Write times as 2026-10-12 10:00:00, one a line.',
          )}
        </div>
        <div>
          <Button look="primary" type="submit">
            Show the matrix
          </Button>
        </div>
      </form>
    </Card>
  );
}

function Result({ matrix }: { matrix: Matrix }) {
  const { atUnixMs, cells, warnings } = matrix;
  const edit = useEdit();
  const [explained, setExplained] = useState<MatrixCell>();
  const [kept, setKept] = useState<ReadonlySet<string>>(new Set());
  const expect = (some: readonly MatrixCell[]): void => {
    const texts = some.flatMap(({ expectation }) => expectation ?? []).filter((text) => !kept.has(text));
    setKept(new Set([...kept, ...texts]));
    if (texts.length > 0) edit.mutate(texts.map((text): Edit => ({ kind: 'put', text, part: 'expect' })));
  };
  return (
    <>
      {edit.error && <ErrorNotice error={edit.error} />}
      {atUnixMs.map((time, at) => (
        <Card
          key={time}
          title={formatTime(time)}
          aside={
            <Button size="small" onClick={() => expect(cells.filter((cell) => cell.at === at))}>
              Expect all of it
            </Button>
          }
        >
          <Cells matrix={matrix} at={at} kept={kept} onExpect={expect} onExplain={setExplained} />
        </Card>
      ))}
      {warnings.length > 0 && (
        <Card title="Without a control">
          <ul className="grid gap-1 p-4 text-sm">
            {warnings.map((warning) => (
              <li key={warning}>{warning}</li>
            ))}
          </ul>
        </Card>
      )}
      {explained && <Explained matrix={matrix} cell={explained} onClose={() => setExplained(undefined)} />}
    </>
  );
}

function Cells({
  matrix: { clients, to, cells, atUnixMs },
  at,
  kept,
  onExpect,
  onExplain,
}: {
  matrix: Matrix;
  at: number;
  kept: ReadonlySet<string>;
  onExpect: (cells: readonly MatrixCell[]) => void;
  onExplain: (cell: MatrixCell) => void;
}) {
  return (
    <WideTable label={`Clients by destinations at ${formatTime(atUnixMs[at])}`}>
      <thead className="text-muted">
        <tr className="border-b border-line">
          <th scope="col" className="px-4 py-2 text-left font-medium">
            client
          </th>
          {to.map((url) => (
            <th key={url} scope="col" className="px-4 py-2 text-left font-mono text-xs font-medium">
              {url}
            </th>
          ))}
          <th scope="col" className="px-4 py-2">
            <span className="sr-only">expectations</span>
          </th>
        </tr>
      </thead>
      <tbody>
        {clients.map((client, row) => {
          const ofRow = cells.filter((cell) => cell.client === row && cell.at === at);
          const isKept = ofRow.every(({ expectation }) => expectation === undefined || kept.has(expectation));
          return (
            <tr key={labelOf(client)} className="border-b border-line last:border-b-0">
              <th scope="row" className="px-4 py-2 text-left font-mono text-xs font-normal">
                {labelOf(client)}
              </th>
              {ofRow.map((cell) => (
                <td key={cell.to} className="px-4 py-2">
                  <button
                    type="button"
                    title="Explain"
                    onClick={() => onExplain(cell)}
                    className="inline-flex flex-wrap items-baseline gap-x-2 text-left hover:underline"
                  >
                    <OutcomeLabel outcome={cell.outcome} />
                    <span className="text-xs text-muted">{cell.decidedBy}</span>
                  </button>
                </td>
              ))}
              <td className="px-4 py-2 text-right">
                <Button size="small" disabled={isKept} onClick={() => onExpect(ofRow)}>
                  {isKept ? 'expected' : 'expect'}
                </Button>
              </td>
            </tr>
          );
        })}
      </tbody>
    </WideTable>
  );
}

/** Why a cell is what it is. */
function Explained({ matrix, cell, onClose }: { matrix: Matrix; cell: MatrixCell; onClose: () => void }) {
  const { client, user } = matrix.clients[cell.client]!;
  const to = matrix.to[cell.to]!;
  const url = matrix.urls[cell.to]!;
  const at = new Date(matrix.atUnixMs[cell.at]!).toISOString();
  const tried = useQuery({
    queryKey: ['draft', 'try', client, user, url, at],
    queryFn: () => service.tryRequest({ client, url, at, against: 'draft', ...(user === undefined ? {} : { user }) }),
  });
  return (
    <Modal onClose={onClose}>
      <DialogPanel className="mx-auto max-w-3xl rounded-xl bg-surface p-6 shadow-xl">
        <div className="flex items-center justify-between gap-3">
          <DialogTitle className="font-semibold">
            {user === undefined ? '' : `${user}@`}
            {client} to {to}
          </DialogTitle>
          <Button size="small" onClick={onClose}>
            Close
          </Button>
        </div>
        <Loaded query={tried}>{(data) => <ExplanationSteps explanation={data} />}</Loaded>
      </DialogPanel>
    </Modal>
  );
}
