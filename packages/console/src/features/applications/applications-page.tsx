import { useQuery } from '@tanstack/react-query';
import type { ApplicationInfo } from '@jadefence/contract';
import { useState, type FormEvent } from 'react';
import { useEdit } from '../../api/edit.js';
import { applicationsQuery } from '../../api/queries.js';
import { Button } from '../../components/button.js';
import { Choice } from '../../components/choice.js';
import { Card, EmptyState, PageHeading } from '../../components/layout.js';
import { ErrorNotice, Loaded } from '../../components/loaded.js';
import { INPUT_STYLE, TextField } from '../../components/text-field.js';
import { IdentifyCard } from './identify-card.js';

const ANY = 'any';
const EXAMPLE = `application picture-desk "Picture desk" {
  category reference
  risk low
  ports tcp/443
  over tls
  signature when host = desk.pictures.example
}`;

/** The catalogue of applications: what each is recognised by, what it needs, and where it is used. */
export function ApplicationsPage() {
  const applications = useQuery(applicationsQuery);
  return (
    <>
      <PageHeading title="Applications">
        Kinds of traffic, recognised by signatures wherever they run. What an application needs must be allowed, too.
      </PageHeading>
      <Loaded query={applications}>{(all) => <Catalogue all={all} />}</Loaded>
      <IdentifyCard />
    </>
  );
}

function Catalogue({ all }: { all: readonly ApplicationInfo[] }) {
  const [search, setSearch] = useState('');
  const [category, setCategory] = useState(ANY);
  const [risk, setRisk] = useState(ANY);
  const [port, setPort] = useState('');
  const [chosen, setChosen] = useState<string>();
  const categories = [...new Set(all.flatMap((applicationInfo) => applicationInfo.category ?? []))].sort();
  const item = all.filter(
    (applicationInfo) =>
      `${applicationInfo.name} ${applicationInfo.title ?? ''}`.toLowerCase().includes(search.trim().toLowerCase()) &&
      (category === ANY || applicationInfo.category === category) &&
      (risk === ANY || applicationInfo.risk === risk) &&
      (port.trim() === '' ||
        applicationInfo.ports.some((known) => known === port.trim() || known.endsWith(`/${port.trim()}`))),
  );
  const shown = item.find(({ name }) => name === chosen) ?? item[0];
  const options = (values: readonly string[]) => [ANY, ...values].map((value) => ({ value, text: value }));
  return (
    <>
      <div className="mb-4 flex flex-wrap items-end gap-3">
        <TextField label="Name or title" value={search} onChange={(event) => setSearch(event.target.value)} />
        <TextField
          label="Port"
          value={port}
          placeholder="443 or udp/53"
          onChange={(event) => setPort(event.target.value)}
          className="w-32"
        />
        <Choice label="Category" value={category} options={options(categories)} onChange={setCategory} />
        <Choice label="Risk" value={risk} options={options(['low', 'medium', 'high'])} onChange={setRisk} />
      </div>
      {shown ? (
        <div className="grid items-start gap-6 md:grid-cols-[18rem_1fr]">
          <Card>
            <ul>
              {item.map((applicationInfo) => (
                <li key={applicationInfo.name} className="border-b border-line last:border-b-0">
                  <button
                    type="button"
                    aria-current={applicationInfo === shown}
                    onClick={() => setChosen(applicationInfo.name)}
                    className={`flex w-full items-baseline justify-between gap-2 px-4 py-2 text-left text-sm ${applicationInfo === shown ? 'bg-jade-soft text-jade-strong' : 'hover:bg-sunken'}`}
                  >
                    <span>{applicationInfo.title ?? applicationInfo.name}</span>
                    <span className={applicationInfo === shown ? '' : 'text-muted'}>
                      {applicationInfo.isBuiltIn ? 'built in' : applicationInfo.risk}
                    </span>
                  </button>
                </li>
              ))}
            </ul>
          </Card>
          <Detail key={shown.name} application={shown} />
        </div>
      ) : (
        <EmptyState title="No matching applications">Change what you look for.</EmptyState>
      )}
      <Card title="Add one">
        <TextForm initial={EXAMPLE} label="The application as fence text" button="Save application" />
      </Card>
    </>
  );
}

function Detail({ application }: { application: ApplicationInfo }) {
  const { name, title, category, risk, ports, needs, over, signatures, isBuiltIn, usedBy, text } = application;
  const remove = useEdit();
  const rows: [string, string][] = [
    ...(category ? [['Category', category] as [string, string]] : []),
    ...(risk ? [['Risk', risk] as [string, string]] : []),
    ...(ports.length > 0 ? [['Default ports', ports.join(', ')] as [string, string]] : []),
    ...(over ? [['Runs over', over] as [string, string]] : []),
    ...(needs.length > 0 ? [['Needs', needs.join(', ')] as [string, string]] : []),
    ['Used by', usedBy.join(', ') || 'nothing'],
  ];
  return (
    <Card
      title={
        <>
          {title ?? name} <span className="font-mono text-sm font-normal text-muted">{name}</span>
        </>
      }
      aside={
        !isBuiltIn && (
          <Button
            size="small"
            disabled={remove.isPending}
            onClick={() => remove.mutate([{ kind: 'remove', part: 'application', name }])}
          >
            Delete
          </Button>
        )
      }
    >
      <dl className="grid grid-cols-[8rem_1fr] gap-x-4 gap-y-1 p-4 text-sm">
        {rows.map(([term, value]) => (
          <div key={term} className="contents">
            <dt className="text-muted">{term}</dt>
            <dd>{value}</dd>
          </div>
        ))}
        <dt className="text-muted">Recognised when</dt>
        <dd>
          <ul className="font-mono">
            {signatures.map((signature) => (
              <li key={signature}>{signature}</li>
            ))}
          </ul>
        </dd>
      </dl>
      {remove.error && (
        <div className="px-4 pb-4">
          <ErrorNotice error={remove.error} />
        </div>
      )}
      {!isBuiltIn && <TextForm initial={text} label="As fence text" button="Keep the change" />}
    </Card>
  );
}

function TextForm({ initial, label, button }: { initial: string; label: string; button: string }) {
  const [text, setText] = useState(initial);
  const edit = useEdit();
  const submit = (event: FormEvent): void => {
    event.preventDefault();
    edit.mutate([{ kind: 'put', text, part: 'application' }]);
  };
  return (
    <form onSubmit={submit} className="grid gap-3 border-t border-line p-4 text-sm">
      <label className="font-medium">
        {label}
        <textarea
          value={text}
          rows={text.split('\n').length}
          onChange={(event) => setText(event.target.value)}
          className={`mt-1 font-mono font-normal ${INPUT_STYLE}`}
        />
      </label>
      {edit.error && <ErrorNotice error={edit.error} />}
      {edit.isSuccess && <p role="status">Saved to draft.</p>}
      <div>
        <Button type="submit" disabled={edit.isPending || text.trim() === ''}>
          {button}
        </Button>
      </div>
    </form>
  );
}
