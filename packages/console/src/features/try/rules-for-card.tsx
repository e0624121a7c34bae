import { Disclosure, DisclosureButton, DisclosurePanel } from '@headlessui/react';
import { ChevronRightIcon } from '@heroicons/react/20/solid';
import { useQuery } from '@tanstack/react-query';
import type { Tried } from '@jadefence/contract';
import { service } from '../../api/client.js';
import { Card } from '../../components/layout.js';
import { Loaded } from '../../components/loaded.js';
import { StateBadge } from '../../components/state-badge.js';

/** The rules that can apply to a client at all, each with what a request still needs. */
export function RulesForCard({ client, user, against }: { client: string; user?: string; against: Tried['revision'] }) {
  return (
    <Disclosure as="div">
      <Card
        title={
          <DisclosureButton className="group flex items-center gap-1">
            <ChevronRightIcon aria-hidden className="size-4 transition-transform group-data-open:rotate-90" />
            Rules that can apply to {client}
          </DisclosureButton>
        }
      >
        <DisclosurePanel>
          <Rules client={client} user={user} against={against} />
        </DisclosurePanel>
      </Card>
    </Disclosure>
  );
}

function Rules({ client, user, against }: { client: string; user?: string; against: Tried['revision'] }) {
  const gates = useQuery({
    queryKey: ['draft', 'rules-for', client, user, against],
    queryFn: () =>
      service.rulesFor({ client, against: against ?? 'draft', ...(user === undefined || user === '' ? {} : { user }) }),
    retry: false,
  });
  return (
    <div className="grid gap-4 p-4 text-sm">
      <Loaded query={gates}>
        {(all) =>
          all.map(({ gate, country, rules }) => (
            <section key={gate} aria-label={`Gate ${gate}`}>
              <h3 className="font-medium">
                Gate {gate}
                {country && <span className="font-normal text-muted">, from {country}</span>}
              </h3>
              {rules.length === 0 && <p className="text-muted">No rule can apply.</p>}
              <ul className="mt-1 grid gap-1.5">
                {rules.map(({ rule, sentence, needs, hours, state, isFenceInTrial, takesAll }) => (
                  <li key={rule}>
                    <span className="font-mono text-xs">{rule}</span>{' '}
                    {(state === 'trial' || isFenceInTrial) && <StateBadge state="trial" />} {sentence}
                    <span className="block text-muted">
                      {needs === undefined ? 'needs nothing else' : `needs ${needs}`}
                      {hours !== undefined && ` ${hours}`}
                      {takesAll && '; takes all that get here'}
                    </span>
                  </li>
                ))}
              </ul>
            </section>
          ))
        }
      </Loaded>
    </div>
  );
}
