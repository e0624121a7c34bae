import { setAppearance, useAppearance } from '../../appearance.js';
import { Choice } from '../../components/choice.js';
import { Card } from '../../components/layout.js';

const THEMES = [
  { value: 'system', text: 'as the system has it' },
  { value: 'light', text: 'light' },
  { value: 'dark', text: 'dark' },
] as const;

/** How this browser shows the console, for this user alone. */
export function AppearanceCard() {
  const { theme, times } = useAppearance();
  const zone = Intl.DateTimeFormat().resolvedOptions().timeZone;
  return (
    <Card title="Appearance in this browser">
      <div className="flex flex-wrap gap-6 p-4">
        <Choice label="Colours" value={theme} options={THEMES} onChange={(value) => setAppearance({ theme: value })} />
        <Choice
          label="Times"
          value={times}
          options={[
            { value: 'utc', text: 'UTC' },
            { value: 'local', text: `local time (${zone})` },
          ]}
          onChange={(value) => setAppearance({ times: value })}
        />
      </div>
    </Card>
  );
}
