import { Disclosure, DisclosureButton, DisclosurePanel } from '@headlessui/react';
import { ChevronRightIcon } from '@heroicons/react/20/solid';
import type { LogReadOptions } from '@jadefence/contract';
import { LOG_FORMATS } from '@jadefence/core/logs';
import { CheckField } from '../../components/check-field.js';
import { Choice } from '../../components/choice.js';
import { INPUT_STYLE, TextField } from '../../components/text-field.js';

const FORMATS = [
  { value: '', text: 'as detected' },
  ...Object.entries(LOG_FORMATS)
    .filter(([format]) => format !== 'pattern')
    .map(([value, text]) => ({ value, text })),
];

/** How a log is to be read, where that is not to be found out. Every change shows in the preview at once. */
export function ReadingFields({
  settings,
  onChange,
}: {
  settings: LogReadOptions;
  onChange: (settings: LogReadOptions) => void;
}) {
  const set = (change: Partial<LogReadOptions>): void => {
    const all = Object.entries({ ...settings, ...change }).filter(([, value]) => value !== undefined && value !== '');
    onChange(Object.fromEntries(all));
  };
  return (
    <Disclosure as="div" defaultOpen={Object.keys(settings).some((key) => key !== 'host')}>
      <DisclosureButton className="group flex items-center gap-1 text-sm text-jade">
        <ChevronRightIcon aria-hidden className="size-4 transition-transform group-data-open:rotate-90" />
        Reading options
      </DisclosureButton>
      <DisclosurePanel className="mt-3 grid gap-4 sm:grid-cols-2">
        <Choice
          label="Format"
          value={settings.format ?? ''}
          options={FORMATS}
          onChange={(format) => set({ format: format as LogReadOptions['format'] })}
        />
        <CheckField
          label="Lines are wrapped in syslog"
          isOn={settings.syslog === true}
          onChange={(isInSyslog) => set({ syslog: isInSyslog || undefined })}
        />
        <TextField
          className="sm:col-span-2"
          label="Pattern: a line with names in place of its values"
          value={settings.pattern ?? ''}
          onChange={(event) => set({ pattern: event.target.value })}
          placeholder={'{client} - {user} [{time}] "{request}" {status} {bytes}'}
        />
        <label className="text-sm sm:col-span-2">
          <span className="font-medium">Mapping: what the names of the log mean, as JSON</span>
          <textarea
            rows={3}
            value={settings.mapping ?? ''}
            onChange={(event) => set({ mapping: event.target.value })}
            placeholder='{"time": ["date", "clock"], "client": "remote_ip", "host": "vhost"}'
            className={`mt-1 font-mono text-xs ${INPUT_STYLE}`}
          />
        </label>
        <TextField
          label="Time zone for timestamps without one"
          value={settings.zone ?? ''}
          onChange={(event) => set({ zone: event.target.value })}
          placeholder="UTC"
        />
        <TextField
          label="Year of the first line, if syslog times have none"
          value={settings.year ?? ''}
          inputMode="numeric"
          onChange={(event) => set({ year: event.target.value })}
          placeholder={String(new Date().getFullYear())}
        />
      </DisclosurePanel>
    </Disclosure>
  );
}
