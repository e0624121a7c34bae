import { useMutation, useQuery, useQueryClient } from '@tanstack/react-query';
import type { LogReadOptions } from '@jadefence/contract';
import type { ReadLine } from '@jadefence/core/logs';
import { useState, type FormEvent } from 'react';
import { useNavigate } from 'react-router';
import { uploadLog } from '../../api/client.js';
import { Button } from '../../components/button.js';
import { Card } from '../../components/layout.js';
import { ErrorNotice } from '../../components/loaded.js';
import { TextField } from '../../components/text-field.js';
import { useUnsaved } from '../../components/unsaved.js';
import { previewLog, type LogPreview } from './preview.js';
import { ReadingFields } from './reading-fields.js';

/** Choosing a log, seeing how it would be read, and sending it. */
export function UploadForm() {
  const [files, setFiles] = useState<readonly File[]>([]);
  const [settings, setSettings] = useState<LogReadOptions>({});
  const [file] = files;
  const [share, setShare] = useState(0);
  const [name, setName] = useState('');
  const [stop, setStop] = useState<AbortController>();
  const queryClient = useQueryClient();
  const navigate = useNavigate();
  const preview = useQuery({
    queryKey: ['log preview', file?.name, file?.size, file?.lastModified, settings],
    queryFn: () => previewLog(file!, settings),
    enabled: file !== undefined,
    retry: false,
  });
  const upload = useMutation({
    mutationFn: ({ signal }: AbortController) =>
      uploadLog(files, { ...settings, name: name.trim() || file!.name }, setShare, signal),
    onSuccess: async (log) => {
      await queryClient.invalidateQueries({ queryKey: ['logs'] });
      await navigate(`/logs/${log.id}`);
    },
  });
  const unsaved = useUnsaved(upload.isPending && share < 1);
  const submit = (event: FormEvent): void => {
    event.preventDefault();
    setShare(0);
    const controller = new AbortController();
    setStop(controller);
    if (file) upload.mutate(controller);
  };
  const needsHost = preview.data?.detection.needsHost === true;
  const canSend = preview.data?.detection.best !== undefined && (!needsHost || !!settings.host) && !upload.isPending;
  return (
    <Card title="Import log">
      <form onSubmit={submit} className="grid grid-cols-1 gap-4 p-4">
        {unsaved.question}
        <label className="text-sm font-medium">
          Log file, plain or gzip, or several that are one log
          <input
            type="file"
            multiple
            onChange={(event) => {
              setFiles([...(event.target.files ?? [])]);
              upload.reset();
            }}
            className="mt-1 block w-full text-sm file:mr-3 file:rounded-lg file:border-0 file:bg-sunken file:px-3 file:py-1.5 file:text-ink"
          />
        </label>
        {preview.error && <ErrorNotice error={preview.error} />}
        {preview.data && (
          <Preview preview={preview.data} onPattern={(pattern) => setSettings({ ...settings, pattern })} />
        )}
        {files.length > 1 && (
          <p className="text-sm text-muted">
            {files.length} files, merged by the time of their lines. The first of them is shown.
          </p>
        )}
        {file && (
          <NameFields
            fileName={file.name}
            name={name}
            onName={setName}
            host={needsHost ? (settings.host ?? '') : undefined}
            onHost={(host) => setSettings({ ...settings, host })}
          />
        )}
        {file && <ReadingFields settings={settings} onChange={setSettings} />}
        {upload.isPending && <Progress share={share} />}
        {upload.error && <ErrorNotice error={upload.error} />}
        <div className="flex gap-2">
          <Button look="primary" type="submit" disabled={!canSend}>
            Upload
          </Button>
          {upload.isPending && <Button onClick={() => stop?.abort()}>Cancel upload</Button>}
        </div>
      </form>
    </Card>
  );
}

function Progress({ share }: { share: number }) {
  return (
    <label className="text-sm">
      {share < 1 ? `${Math.round(share * 100)}% is sent` : 'Upload complete, importing...'}
      <progress value={share} max={1} className="mt-1 block h-2 w-full accent-jade" />
    </label>
  );
}

/** What the log is called. @param host of every request, where the log does not name it */
function NameFields({
  fileName,
  name,
  onName,
  host,
  onHost,
}: {
  fileName: string;
  name: string;
  onName: (name: string) => void;
  host: string | undefined;
  onHost: (host: string) => void;
}) {
  return (
    <>
      {host !== undefined && (
        <TextField
          label="Host of every request, since the log does not name it"
          value={host}
          onChange={(event) => onHost(event.target.value)}
          placeholder="shop.example"
        />
      )}
      <TextField
        label="Name of the log"
        value={name}
        maxLength={200}
        placeholder={fileName}
        onChange={(event) => onName(event.target.value)}
      />
    </>
  );
}

function Preview({
  preview: { detection, lines },
  onPattern,
}: {
  preview: LogPreview;
  onPattern: (pattern: string) => void;
}) {
  const { pattern } = detection;
  return (
    <div className="rounded-lg bg-sunken p-3 text-sm">
      <p className="font-medium">{detection.summary}</p>
      {pattern !== undefined && (
        <div className="mt-2 flex flex-wrap items-center gap-3">
          <code className="text-xs">{pattern}</code>
          <Button onClick={() => onPattern(pattern)}>Apply pattern</Button>
        </div>
      )}
      <ol
        className="mt-2 grid gap-1 overflow-x-auto font-mono text-xs"
        tabIndex={0}
        aria-label="The first lines as they would be read"
      >
        {lines.map((line) => (
          <li key={line.kind === 'record' ? line.record.line : line.rejected.line} className="whitespace-nowrap">
            {describe(line)}
          </li>
        ))}
      </ol>
    </div>
  );
}

function describe(line: ReadLine): string {
  if (line.kind === 'rejected')
    return `${line.rejected.line}: rejected (${line.rejected.reason}) ${line.rejected.start}`;
  const { atUnixMs, attributes } = line.record;
  const known = Object.entries(attributes)
    .filter(([, value]) => value != null)
    .map(([name, value]) => `${name}=${typeof value === 'string' ? value : JSON.stringify(value)}`);
  return `${line.record.line}: ${new Date(atUnixMs).toISOString()} ${known.join(' ')}`;
}
