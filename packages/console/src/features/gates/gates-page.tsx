import { ArrowDownIcon, ArrowUpIcon, PlusIcon, XMarkIcon } from '@heroicons/react/20/solid';
import { useQuery } from '@tanstack/react-query';
import type { Draft, Edit } from '@jadefence/contract';
import type { GateStatement } from '@jadefence/core/language';
import { useState } from 'react';
import { useEdit } from '../../api/edit.js';
import { draftQuery, draftSourcesQuery } from '../../api/queries.js';
import { Button } from '../../components/button.js';
import { Choice } from '../../components/choice.js';
import { Card, EmptyState, PageHeading } from '../../components/layout.js';
import { ErrorNotice, Loaded } from '../../components/loaded.js';
import { GateForm } from './gate-form.js';
import { readGate } from './gate-text.js';

type Gate = Draft['gates'][number];

/** Where requests pass: each gate with its fences in order. */
export function GatesPage() {
  const draft = useQuery(draftQuery);
  const sources = useQuery(draftSourcesQuery).data;
  const edit = useEdit();
  const [edited, setEdited] = useState<{ readonly old?: GateStatement }>();
  const open = (name: string): void => {
    const part = sources?.parts.find((candidate) => candidate.kind === 'gate' && candidate.name === name);
    setEdited({ old: part && readGate(part.text) });
  };
  const newGate = (
    <Button look="primary" onClick={() => setEdited({})}>
      <PlusIcon aria-hidden className="size-4" />
      New gate
    </Button>
  );
  return (
    <>
      <PageHeading title="Gates" aside={newGate}>
        A gate evaluates its fences from top to bottom. A fence can be attached to any number of gates. Of gates that
        fit a request equally well, the first judges it.
      </PageHeading>
      {edit.error && <ErrorNotice error={edit.error} />}
      <Loaded query={draft}>
        {({ gates, fences }) =>
          gates.length === 0 ? (
            <EmptyState title="No gates yet">
              A gate names the hosts or clients whose requests are judged. Create one with the button above.
            </EmptyState>
          ) : (
            gates.map((gate, index) => (
              <GateCard
                key={gate.name}
                gate={gate}
                above={gates[index - 1]?.name}
                below={gates[index + 1]?.name}
                fences={fences.map(({ name }) => name)}
                onEdit={(change) => edit.mutate([change])}
                onOpen={sources && (() => open(gate.name))}
              />
            ))
          )
        }
      </Loaded>
      {edited && <GateForm old={edited.old} onClose={() => setEdited(undefined)} />}
    </>
  );
}

function GateCard({
  gate,
  above,
  below,
  fences,
  onEdit,
  onOpen,
}: {
  gate: Gate;
  /** The gates next to it. */
  above: string | undefined;
  below: string | undefined;
  fences: readonly string[];
  onEdit: (edit: Edit) => void;
  onOpen?: () => void;
}) {
  const others = fences.filter((name) => !gate.fences.includes(name));
  const attach = (fence: string, position: Extract<Edit, { kind: 'attach' }>['position']): void =>
    onEdit({ kind: 'attach', gate: gate.name, fence, position });
  const heading = (
    <>
      {gate.name} <span className="text-sm font-normal text-muted">{gate.direction}</span>
    </>
  );
  return (
    <Card
      title={heading}
      aside={<GateActions gate={gate} above={above} below={below} onEdit={onEdit} onOpen={onOpen} />}
    >
      <ol>
        {gate.fences.map((fence, index) => (
          <FenceRow
            key={fence}
            fence={fence}
            index={index}
            gate={gate}
            attach={attach}
            onDetach={() => onEdit({ kind: 'detach', gate: gate.name, fence })}
          />
        ))}
      </ol>
      <div className="flex flex-wrap items-center justify-between gap-3 bg-sunken px-4 py-2 text-sm text-muted">
        <span>Where none decides: {gate.otherwise}.</span>
        {others.length > 0 && (
          <Choice
            label={`Add to ${gate.name}`}
            value=""
            options={[{ value: '', text: 'a fence …' }, ...others.map((name) => ({ value: name, text: name }))]}
            onChange={(fence) => fence !== '' && attach(fence, { at: 'bottom' })}
          />
        )}
      </div>
    </Card>
  );
}

/** Its hosts or clients, and what can be done with the gate as a whole. */
function GateActions({
  gate,
  above,
  below,
  onEdit,
  onOpen,
}: {
  gate: Gate;
  above: string | undefined;
  below: string | undefined;
  onEdit: (edit: Edit) => void;
  onOpen?: () => void;
}) {
  return (
    <span className="flex flex-wrap items-center gap-2 text-sm text-muted">
      {[...gate.hosts, ...gate.clients].join(', ')}
      <IconButton
        label={`Move gate ${gate.name} up`}
        isOff={above === undefined}
        onClick={() => onEdit({ kind: 'move-gate', gate: gate.name, position: { at: 'above', name: above! } })}
      >
        <ArrowUpIcon aria-hidden className="size-4" />
      </IconButton>
      <IconButton
        label={`Move gate ${gate.name} down`}
        isOff={below === undefined}
        onClick={() => onEdit({ kind: 'move-gate', gate: gate.name, position: { at: 'below', name: below! } })}
      >
        <ArrowDownIcon aria-hidden className="size-4" />
      </IconButton>
      <Button size="small" disabled={!onOpen} onClick={onOpen} aria-label={`Edit gate ${gate.name}`}>
        Edit
      </Button>
      <Button
        size="small"
        aria-label={`Delete gate ${gate.name}`}
        onClick={() => onEdit({ kind: 'remove', part: 'gate', name: gate.name })}
      >
        Delete
      </Button>
    </span>
  );
}

/** A fence in the order of a gate. */
function FenceRow({
  fence,
  index,
  gate,
  attach,
  onDetach,
}: {
  fence: string;
  index: number;
  gate: Gate;
  attach: (fence: string, position: Extract<Edit, { kind: 'attach' }>['position']) => void;
  onDetach: () => void;
}) {
  return (
    <li className="flex items-center gap-3 border-b border-line px-4 py-2">
      <span className="w-5 text-sm text-muted tabular-nums">{index + 1}</span>
      <span className="grow font-mono text-sm">{fence}</span>
      <IconButton
        label={`Move ${fence} up at ${gate.name}`}
        isOff={index === 0}
        onClick={() => attach(fence, { at: 'above', name: gate.fences[index - 1]! })}
      >
        <ArrowUpIcon aria-hidden className="size-4" />
      </IconButton>
      <IconButton
        label={`Move ${fence} down at ${gate.name}`}
        isOff={index === gate.fences.length - 1}
        onClick={() => attach(fence, { at: 'below', name: gate.fences[index + 1]! })}
      >
        <ArrowDownIcon aria-hidden className="size-4" />
      </IconButton>
      <IconButton label={`Take ${fence} away from ${gate.name}`} onClick={onDetach}>
        <XMarkIcon aria-hidden className="size-4" />
      </IconButton>
    </li>
  );
}

function IconButton({
  label,
  isOff = false,
  onClick,
  children,
}: {
  label: string;
  isOff?: boolean;
  onClick: () => void;
  children: React.ReactNode;
}) {
  return (
    <button
      type="button"
      aria-label={label}
      disabled={isOff}
      onClick={onClick}
      className="rounded-lg p-1.5 text-muted hover:bg-sunken disabled:opacity-30"
    >
      {children}
    </button>
  );
}
