import { useState } from 'react';
import { Button } from '../../components/button.js';
import { CheckField } from '../../components/check-field.js';
import { Choice } from '../../components/choice.js';
import { DurationField } from '../../components/duration-field.js';
import { MultiPick } from '../../components/multi-pick.js';
import { TextField } from '../../components/text-field.js';
import { KEY_OPTIONS, type ActionValues } from './action-values.js';
import type { KnownNames } from './known.js';

interface Props {
  values: ActionValues;
  known: KnownNames;
  onChange: (changed: Partial<ActionValues>) => void;
}

/** The fields of an action, each kind its own. */
export function ActionFields(props: Props) {
  const { values, known, onChange } = props;
  switch (values.kind) {
    case 'allow':
      return (
        <CheckField
          label="Outright: no later fence is evaluated"
          isOn={values.isOutright}
          onChange={(isOutright) => onChange({ isOutright })}
        />
      );
    case 'block':
      return <BlockFields {...props} />;
    case 'redirect':
      return (
        <>
          <UrlField {...props} />
          <StatusChoice {...props} options={REDIRECT_STATUSES} />
        </>
      );
    case 'warn':
      return (
        <>
          <PageChoice {...props} />
          <HoldField {...props} />
        </>
      );
    case 'passphrase':
      return (
        <>
          <MultiPick
            label="Passphrase, by its name"
            isSingle
            options={known.passphrases.map((value) => ({ value }))}
            values={values.secret === '' ? [] : [values.secret]}
            onChange={([secret = '']) => onChange({ secret })}
          />
          <PageChoice {...props} />
          <HoldField {...props} />
        </>
      );
    case 'challenge':
      return <HoldField {...props} />;
    case 'limit':
      return <LimitFields {...props} />;
    case 'throttle':
      return <ThrottleFields {...props} />;
    case 'tag':
      return (
        <MultiPick
          label="Tags"
          options={known.tags.map((value) => ({ value }))}
          values={values.tags}
          onChange={(tags) => onChange({ tags })}
        />
      );
    case 'observe':
      return null;
  }
}

const BLOCK_STATUSES = [
  { value: '403', text: '403 Forbidden' },
  { value: '404', text: '404 Not found' },
  { value: '410', text: '410 Gone' },
  { value: '429', text: '429 Too many requests' },
  { value: '451', text: '451 Unavailable for legal reasons' },
  { value: '503', text: '503 Service unavailable' },
];
const REDIRECT_STATUSES = [
  { value: '301', text: '301 Moved for good' },
  { value: '302', text: '302 Found' },
  { value: '303', text: '303 See other' },
  { value: '307', text: '307 For now, same method' },
  { value: '308', text: '308 For good, same method' },
];

function BlockFields(props: Props) {
  return (
    <>
      <StatusChoice {...props} options={BLOCK_STATUSES} />
      <PageChoice {...props} />
    </>
  );
}

function StatusChoice({
  values: { status },
  options,
  onChange,
}: Props & { options: readonly { value: string; text: string }[] }) {
  const isOther = !options.some(({ value }) => value === status);
  return (
    <Choice
      label="Status"
      value={status}
      // One that the text has and the form does not offer stays as it is.
      options={isOther ? [{ value: status, text: status }, ...options] : options}
      onChange={(chosen) => onChange({ status: chosen })}
    />
  );
}

function PageChoice({ values: { page }, known, onChange }: Props) {
  if (known.pages.length === 0 && page === '') return null;
  return (
    <Choice
      label="Page shown"
      value={page}
      options={[{ value: '', text: 'the built-in page' }, ...known.pages.map((name) => ({ value: name, text: name }))]}
      onChange={(chosen) => onChange({ page: chosen })}
    />
  );
}

function UrlField({ values: { url }, onChange }: Props) {
  return (
    <TextField
      label="To the URL, or a path of the same site"
      value={url}
      onChange={(event) => onChange({ url: event.target.value })}
    />
  );
}

function HoldField({ values: { hold }, onChange }: Props) {
  return (
    <DurationField
      label="Afterwards the user may continue for"
      value={hold}
      onChange={(changed) => onChange({ hold: changed })}
    />
  );
}

function LimitFields(props: Props) {
  const { values, onChange } = props;
  return (
    <>
      <div className="grid grid-cols-[minmax(0,1fr)_auto] gap-3">
        <TextField
          label="Requests that pass"
          type="number"
          min={1}
          value={values.count}
          onChange={(event) => onChange({ count: event.target.value })}
        />
        <DurationField label="within" value={values.window} onChange={(window) => onChange({ window })} />
      </div>
      <KeysField {...props} />
      <CheckField
        label="One counter for all gates of the fence"
        isOn={values.isAcrossGates}
        onChange={(isAcrossGates) => onChange({ isAcrossGates })}
      />
      <Choice
        label="Beyond it"
        value={values.then}
        options={[
          { value: 'block', text: 'block' },
          { value: 'redirect', text: 'redirect' },
        ]}
        onChange={(then) => onChange({ then })}
      />
      {values.then === 'block' ? <BlockFields {...props} /> : <UrlField {...props} />}
      <CheckField
        label="Stop the counted client for a while once the limit is passed"
        isOn={values.hold !== ''}
        onChange={(isOn) => onChange({ hold: isOn ? '10m' : '' })}
      />
      {values.hold !== '' && <DurationField label="for" value={values.hold} onChange={(hold) => onChange({ hold })} />}
    </>
  );
}

function ThrottleFields(props: Props) {
  const { values, onChange } = props;
  return (
    <>
      <div className="grid grid-cols-2 gap-3">
        <TextField
          label="Bytes a second, such as 2MB"
          value={values.rate}
          onChange={(event) => onChange({ rate: event.target.value.trim() })}
        />
        <TextField
          label="At once after a pause (none: a second's)"
          value={values.burst}
          placeholder={values.rate}
          onChange={(event) => onChange({ burst: event.target.value.trim() })}
        />
      </div>
      <Choice
        label="Bytes"
        value={values.direction}
        options={[
          { value: 'down', text: 'to the client' },
          { value: 'up', text: 'from the client' },
        ]}
        onChange={(direction) => onChange({ direction })}
      />
      <KeysField {...props} />
      <CheckField
        label="One rate for all gates of the fence"
        isOn={values.isAcrossGates}
        onChange={(isAcrossGates) => onChange({ isAcrossGates })}
      />
    </>
  );
}

const NAMED_KEYS = ['header', 'cookie', 'query'] as const;

/** What a limit counts by, in order; several make one key. */
function KeysField({ values: { keys }, onChange }: Props) {
  const [kind, setKind] = useState<(typeof NAMED_KEYS)[number]>('header');
  const [name, setName] = useState('');
  return (
    <>
      <MultiPick
        label="Counted by (none: everyone together)"
        isClosed
        options={KEY_OPTIONS}
        values={keys}
        onChange={(changed) => onChange({ keys: changed })}
      />
      <div className="flex items-end gap-2">
        <Choice
          label="Kind of the name"
          isLabelHidden
          value={kind}
          options={NAMED_KEYS.map((value) => ({ value, text: value === 'query' ? 'parameter' : value }))}
          onChange={setKind}
        />
        <TextField
          label="or by a value named"
          className="min-w-0 grow"
          value={name}
          onChange={(event) => setName(event.target.value)}
        />
        <Button
          disabled={name.trim() === ''}
          onClick={() => {
            onChange({ keys: [...keys, `${kind} ${JSON.stringify(name.trim())}`] });
            setName('');
          }}
        >
          Add
        </Button>
      </div>
    </>
  );
}
