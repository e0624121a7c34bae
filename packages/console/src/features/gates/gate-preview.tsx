import { keepPreviousData, useQuery } from '@tanstack/react-query';
import type { GatePreview } from '@jadefence/contract';
import { nameCountry } from '@jadefence/core/reference';
import { useDeferredValue } from 'react';
import { service } from '../../api/client.js';
import { logsQuery } from '../../api/queries.js';
import { WideTable } from '../../components/layout.js';
import { countOf, formatCount } from '../../format.js';

/** So many logs are looked at for one with requests at the gate. */
const MAX_LOGS_TRIED = 5;
const SHOWN_COUNTRIES = 8;

/** What the gate would see of the latest log that has requests for it, as the form has it now. */
export function GatePreviewCard({ text }: { text: string }) {
  const logs = useQuery(logsQuery()).data;
  const counted = useDeferredValue(text);
  const { data, isFetching } = useQuery({
    queryKey: ['draft', 'gate-preview', logs?.[0]?.id, counted],
    queryFn: async ({ signal }) => {
      // Of what is typed, only what stays for a moment is counted.
      await new Promise((resolve) => setTimeout(resolve, 300));
      for (const log of logs!.slice(0, MAX_LOGS_TRIED)) {
        signal.throwIfAborted();
        const preview = await service.previewGate(log.id, { text: counted }, signal);
        if (preview.requests > 0) return { log, preview };
      }
      return null;
    },
    enabled: logs !== undefined && logs.length > 0,
    placeholderData: keepPreviousData,
    retry: false,
  });
  if (!data)
    return data === null ? <p className="text-sm text-muted">No recent log has requests for this gate.</p> : null;
  return (
    <section
      aria-label="In the latest log"
      aria-busy={isFetching}
      className={`grid gap-2 rounded-lg bg-sunken p-3 text-sm ${isFetching ? 'opacity-60' : ''}`}
    >
      <p className="tabular-nums">
        {data.log.name}: {countOf(data.preview.requests, 'request')} at this gate.{' '}
        <ClientSentence preview={data.preview} />
        <EncryptionSentence preview={data.preview} />
      </p>
      <CountryChanges preview={data.preview} />
    </section>
  );
}

function ClientSentence({ preview: { withHeader, changed, ignored } }: { preview: GatePreview }) {
  if (withHeader === 0) return null;
  return (
    <>
      {formatCount(withHeader)} have the header, and the client changes in <b>{formatCount(changed)}</b>
      {ignored > 0 && (
        <span className="text-limited">
          ; {countOf(ignored, 'header')} {ignored === 1 ? 'is' : 'are'} ignored, since the address that connected is not
          trusted
        </span>
      )}
      .{' '}
    </>
  );
}

function EncryptionSentence({ preview: { requests, encrypted, hidden } }: { preview: GatePreview }) {
  if (encrypted === 0) return null;
  return (
    <>
      {formatCount(encrypted)} are encrypted; rules cannot see path, method and headers of <b>{formatCount(hidden)}</b>{' '}
      of {formatCount(requests)}.
    </>
  );
}

/** The countries whose number of requests changes most. */
function CountryChanges({ preview: { countries } }: { preview: GatePreview }) {
  const moved = Object.entries(countries)
    .filter(([, { before, after }]) => before !== after)
    .sort(([, a], [, b]) => Math.abs(b.after - b.before) - Math.abs(a.after - a.before));
  if (moved.length === 0) return null;
  return (
    <WideTable label="Countries of the clients">
      <thead className="text-left text-muted">
        <tr>
          <th scope="col" className="py-1 pr-4 font-medium">
            Country of the client
          </th>
          <th scope="col" className="px-4 py-1 text-right font-medium">
            Without the header
          </th>
          <th scope="col" className="px-4 py-1 text-right font-medium">
            With it
          </th>
        </tr>
      </thead>
      <tbody className="tabular-nums">
        {moved.slice(0, SHOWN_COUNTRIES).map(([code, { before, after }]) => (
          <tr key={code} className="border-t border-line">
            <td className="py-1 pr-4">{nameCountry(code) === code ? code : `${nameCountry(code)} (${code})`}</td>
            <td className="px-4 py-1 text-right">{formatCount(before)}</td>
            <td className="px-4 py-1 text-right">{formatCount(after)}</td>
          </tr>
        ))}
      </tbody>
    </WideTable>
  );
}
