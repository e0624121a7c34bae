import { DialogPanel, DialogTitle } from '@headlessui/react';
import { useQuery } from '@tanstack/react-query';
import type { Draft } from '@jadefence/contract';
import { PATH_FORMS, type GateStatement, type PathForm } from '@jadefence/core/language';
import { useState } from 'react';
import { useFormEdit } from '../../api/form-edit.js';
import { draftQuery, logsQuery, surveyQuery } from '../../api/queries.js';
import { Button } from '../../components/button.js';
import { CheckField } from '../../components/check-field.js';
import { Choice } from '../../components/choice.js';
import { Modal } from '../../components/modal.js';
import { EditError } from '../../components/edit-error.js';
import { MultiPick, type PickOption } from '../../components/multi-pick.js';
import { TextField } from '../../components/text-field.js';
import { useUnsaved } from '../../components/unsaved.js';
import { countOf } from '../../format.js';
import { GatePreviewCard } from './gate-preview.js';
import { InspectionFields } from './inspection-fields.js';
import { fieldsOf, NEW_GATE, writeGate, type GateFields } from '@jadefence/core/edit';

const DIRECTIONS = [
  { value: 'inbound', text: 'inbound: visitors to hosts of yours' },
  { value: 'outbound', text: 'outbound: your clients to anywhere' },
] as const;
const HEADERS = [
  { value: '', text: 'the connection' },
  { value: 'x-forwarded-for', text: 'X-Forwarded-For' },
  { value: 'forwarded', text: 'Forwarded' },
  { value: 'x-real-ip', text: 'X-Real-IP' },
];
const MOST_PEERS = 10;
const ENDINGS = ['allow', 'block'];

/** Creates a gate, or edits one. @param old the gate that is edited; a new one otherwise */
export function GateForm({ old, onClose }: { old?: GateStatement; onClose: () => void }) {
  const [initial] = useState(old ? fieldsOf(old) : NEW_GATE);
  const [fields, setFields] = useState<GateFields>(initial);
  const edit = useFormEdit(onClose);
  const unsaved = useUnsaved(fields !== initial && !edit.isSuccess);
  const cancel = (): void => unsaved.leave(onClose);
  const { text, problems } = writeGate(fields, old);
  const set = (change: Partial<GateFields>): void => setFields({ ...fields, ...change });
  const isComplete = fields.name !== '' && (fields.direction === 'inbound' ? fields.hosts : fields.clients).length > 0;
  return (
    <Modal onClose={cancel}>
      <DialogPanel
        as="form"
        onSubmit={(event: React.FormEvent) => {
          event.preventDefault();
          edit.mutate([{ kind: 'put', text, part: 'gate', isNew: !old }]);
        }}
        className="mx-auto grid max-w-3xl gap-4 rounded-xl border border-line bg-surface p-4 shadow-2xl md:p-6"
      >
        {unsaved.question}
        <DialogTitle className="text-lg font-semibold">{old ? `Edit gate ${old.name}` : 'New gate'}</DialogTitle>
        {!old && (
          <div className="flex flex-wrap items-end gap-4">
            <TextField
              label="Name"
              value={fields.name}
              placeholder="shop"
              autoFocus
              onChange={(event) => set({ name: event.target.value })}
            />
            <Choice
              label="Direction"
              value={fields.direction}
              options={DIRECTIONS}
              onChange={(direction) => set({ direction })}
            />
          </div>
        )}
        <GateMembers fields={fields} set={set} />
        <ClientAddress fields={fields} set={set} />
        <PathForms fields={fields} set={set} />
        {fields.direction === 'outbound' && (
          <InspectionFields inspection={fields.inspection} onChange={(inspection) => set({ inspection })} />
        )}
        <Ending value={fields.otherwise} onChange={(otherwise) => set({ otherwise })} />
        {isComplete &&
          problems.map(({ message, hint }) => (
            <p key={message} role="alert" className="text-sm text-blocked">
              {message} {hint}
            </p>
          ))}
        {isComplete && problems.length === 0 && <GatePreviewCard text={text} />}
        <EditError error={edit.error} keepMine={edit.keepMine} />
        <div className="flex justify-end gap-2">
          <Button onClick={cancel}>Cancel</Button>
          <Button type="submit" look="primary" disabled={!isComplete || problems.length > 0 || edit.isPending}>
            {old ? 'Save gate' : 'Create gate'}
          </Button>
        </div>
      </DialogPanel>
    </Modal>
  );
}

interface PartProps {
  readonly fields: GateFields;
  readonly set: (change: Partial<GateFields>) => void;
}

/** Whom the gate is for, picked from lists and from what the latest log has, and which fences it evaluates. */
function GateMembers({ fields, set }: PartProps) {
  const draft = useQuery(draftQuery).data;
  const log = useQuery(logsQuery()).data?.[0];
  const survey = useQuery({ ...surveyQuery(log?.id ?? 0), enabled: log !== undefined }).data;
  const isInbound = fields.direction === 'inbound';
  const busiest = (isInbound ? survey?.busiestHosts : survey?.busiestClients) ?? [];
  const covered = new Set(draft?.gates.flatMap((gate) => (gate.name === fields.name ? [] : gate.hosts)));
  const options: PickOption[] = [
    ...listOptions(draft, isInbound ? 'domains' : 'addresses'),
    ...busiest
      .filter(({ value }) => value !== '')
      .map(({ value, requests }) => ({
        value,
        note: countOf(requests, 'request'),
        detail: isInbound && !covered.has(value) ? 'at no gate' : undefined,
      })),
  ];
  return (
    <div className="grid gap-4 md:grid-cols-2">
      <MultiPick
        label={isInbound ? 'Hosts' : 'Clients'}
        options={options}
        values={isInbound ? fields.hosts : fields.clients}
        onChange={(values) => set(isInbound ? { hosts: values } : { clients: values })}
      />
      <MultiPick
        label="Fences"
        isClosed
        options={(draft?.fences ?? []).map(({ name, title }) => ({ value: name, text: title }))}
        values={fields.fences}
        onChange={(fences) => set({ fences })}
      />
    </div>
  );
}

function listOptions(draft: Draft | undefined, kind: 'domains' | 'addresses'): PickOption[] {
  return (draft?.lists ?? [])
    .filter((list) => list.kind === kind)
    .map(({ name, title, numEntries = 0 }) => ({
      value: name,
      text: title ?? 'list',
      note: countOf(numEntries, 'entry', 'entries'),
    }));
}

function ClientAddress({ fields, set }: PartProps) {
  const draft = useQuery(draftQuery).data;
  const log = useQuery(logsQuery()).data?.[0];
  const survey = useQuery({ ...surveyQuery(log?.id ?? 0), enabled: log !== undefined }).data;
  const peers = (survey?.busiestClients ?? []).slice(0, MOST_PEERS).map(({ value, requests }): PickOption => ({
    value,
    note: `${countOf(requests, 'request')} of ${log!.name}`,
  }));
  const others = HEADERS.some(({ value }) => value === fields.header)
    ? []
    : [{ value: fields.header, text: fields.header }];
  return (
    <div className="grid gap-2">
      {survey && survey.proxySigns.length > 0 && (
        <p className="text-sm text-muted">
          {log!.name} shows signs of a proxy in front: {survey.proxySigns.join('; ')}.
        </p>
      )}
      <Choice
        label="Address of the client from"
        value={fields.header}
        options={[...HEADERS, ...others]}
        onChange={(header) => set({ header })}
      />
      {fields.header !== '' && (
        <MultiPick
          label="Proxies that are trusted to name it"
          options={[...listOptions(draft, 'addresses'), ...peers]}
          values={fields.trusting}
          onChange={(trusting) => set({ trusting })}
        />
      )}
    </div>
  );
}

const PATH_FORM_TEXTS: Record<PathForm, string> = {
  'fold-case': 'without regard to the case of letters',
  'merge-slashes': 'with several slashes as one',
  'strip-parameters': 'without parameters behind semicolons',
};

/** How the server behind the gate reads paths, so that rules match what it serves. */
function PathForms({ fields, set }: PartProps) {
  const change = (form: PathForm, isOn: boolean): void =>
    set({ pathForms: PATH_FORMS.filter((other) => (other === form ? isOn : fields.pathForms.includes(other))) });
  return (
    <fieldset className="grid gap-1">
      <legend className="text-sm font-medium">The server behind it reads paths</legend>
      {PATH_FORMS.map((form) => (
        <CheckField
          key={form}
          label={PATH_FORM_TEXTS[form]}
          isOn={fields.pathForms.includes(form)}
          onChange={(isOn) => change(form, isOn)}
        />
      ))}
    </fieldset>
  );
}

function Ending({ value, onChange }: { value: string; onChange: (value: string) => void }) {
  const options = [...ENDINGS, ...(ENDINGS.includes(value) ? [] : [value])];
  return (
    <Choice
      label="Where no fence decides"
      value={value}
      options={options.map((text) => ({ value: text, text }))}
      onChange={onChange}
    />
  );
}
