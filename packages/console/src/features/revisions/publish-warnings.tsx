import type { Finding } from '@jadefence/contract';
import { Link } from 'react-router';
import { LevelIcon } from '../findings/finding-list.js';

const SHOWN = 5;

/** What the review warns of, before the draft is published all the same. */
export function PublishWarnings({ warnings }: { warnings: readonly Finding[] }) {
  return (
    <section aria-label="Warnings of the review" className="grid gap-1 text-sm">
      <ul className="grid gap-1">
        {warnings.slice(0, SHOWN).map(({ id, gate, message }) => (
          <li key={`${id} ${gate} ${message}`} className="flex gap-2">
            <LevelIcon level="warning" />
            <span className="wrap-anywhere">{message}</span>
          </li>
        ))}
      </ul>
      <Link to="/findings" className="justify-self-start text-jade underline underline-offset-4">
        {warnings.length > SHOWN ? `All ${warnings.length} warnings` : 'Findings'}
      </Link>
    </section>
  );
}
