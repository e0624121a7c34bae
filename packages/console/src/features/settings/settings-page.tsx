import { useQuery } from '@tanstack/react-query';
import { meQuery, passphrasesQuery } from '../../api/queries.js';
import { PageHeading } from '../../components/layout.js';
import { Loaded } from '../../components/loaded.js';
import { AppearanceCard } from './appearance-card.js';
import { MaskingCard } from './masking-card.js';
import { PassphrasesCard } from './passphrases-card.js';
import { PasswordCard } from './password-card.js';
import { TokensCard } from './tokens-card.js';

/** What the service keeps besides rules and reference data, and how this browser shows it. */
export function SettingsPage() {
  const passphrases = useQuery(passphrasesQuery);
  const me = useQuery(meQuery).data;
  return (
    <>
      <PageHeading title="Settings" />
      <Loaded query={passphrases}>{(all) => <PassphrasesCard passphrases={all} />}</Loaded>
      {me && <MaskingCard mayChange={me.role === 'administrator'} />}
      {me?.role === 'administrator' && <TokensCard />}
      <PasswordCard />
      <AppearanceCard />
    </>
  );
}
