import { DATASET_KINDS, type DatasetKind } from '@jadefence/core/reference';
import { useState } from 'react';
import { Choice } from '../../components/choice.js';
import { Card, Command } from '../../components/layout.js';
import { TextField } from '../../components/text-field.js';
import { DatasetsCard } from '../reference/datasets-card.js';
import { ImportForm } from '../reference/import-form.js';

/** Entries that are too many to be written, or come from elsewhere. */
export function LargeLists() {
  const [name, setName] = useState('');
  const [kind, setKind] = useState<DatasetKind>('domains');
  return (
    <>
      <Card title="Bring in the entries of a large list">
        <ImportForm
          label="One entry a line, a hosts file, or an archive of such files; also as gzip"
          queryFor={() => (name === '' ? undefined : { kind: 'list', name, listKind: kind })}
        >
          <div className="flex flex-wrap items-end gap-3">
            <TextField
              label="Name of the dataset"
              value={name}
              placeholder="tout-networks"
              onChange={(event) => setName(event.target.value)}
            />
            <Choice
              label="Holds"
              value={kind}
              options={DATASET_KINDS.map((value) => ({ value, text: value }))}
              onChange={setKind}
            />
          </div>
          <p className="text-muted">
            A list takes them with <Command>{`list NAME ${kind} from dataset ${name || 'NAME'}`}</Command>, or by “New
            list” above.
          </p>
        </ImportForm>
      </Card>
      <DatasetsCard kind="list" title="Datasets of lists" />
    </>
  );
}
