import { PlusIcon } from '@heroicons/react/20/solid';
import { useQuery } from '@tanstack/react-query';
import type { DraftSources } from '@jadefence/contract';
import { DEFAULT_PAGES, defaultPageText, type DefaultPage } from '@jadefence/core/pages';
import { findUses, listPages, type PageFile } from '@jadefence/core/edit';
import { useState } from 'react';
import { useEdit } from '../../api/edit.js';
import { draftSourcesQuery } from '../../api/queries.js';
import { Choice } from '../../components/choice.js';
import { Button } from '../../components/button.js';
import { Card, EmptyState, PageHeading } from '../../components/layout.js';
import { ErrorNotice, Loaded } from '../../components/loaded.js';
import { PageForm } from './page-form.js';
import { BUILT_IN_TEXTS } from './built-in.js';
import { PagePreview } from './page-preview.js';

/** What stopped clients are shown in place of the built-in page. */
export function PagesPage() {
  const sources = useQuery(draftSourcesQuery);
  const edit = useEdit();
  const [edited, setEdited] = useState<{ readonly old?: PageFile }>();
  return (
    <>
      <PageHeading
        title="Pages"
        aside={
          <Button look="primary" onClick={() => setEdited({})}>
            <PlusIcon aria-hidden className="size-4" />
            New page
          </Button>
        }
      >
        What a client that is stopped, warned or held for a passphrase is shown. Rules choose one by its name; without
        one they show the built-in page.
      </PageHeading>
      {edit.error && <ErrorNotice error={edit.error} />}
      <Loaded query={sources}>
        {(data) => {
          const pages = listPages(data);
          if (pages.length === 0)
            return (
              <EmptyState title="No pages yet">Create one with the button above, then choose it in a rule.</EmptyState>
            );
          return pages.map((page) => (
            <Card
              key={page.name}
              title={
                <>
                  <span className="font-mono">{page.name}</span>
                  <span className="text-sm font-normal text-muted">{usesText(data, page.name)}</span>
                </>
              }
              aside={
                <span className="flex gap-2">
                  <Button size="small" aria-label={`Edit page ${page.name}`} onClick={() => setEdited({ old: page })}>
                    Edit
                  </Button>
                  <Button
                    size="small"
                    aria-label={`Delete page ${page.name}`}
                    onClick={() => edit.mutate([{ kind: 'remove', part: 'page', name: page.name }])}
                  >
                    Delete
                  </Button>
                </span>
              }
            >
              <PagePreview name={page.name} text={page.text} />
            </Card>
          ));
        }}
      </Loaded>
      <BuiltInPages />
      {edited && <PageForm old={edited.old} onClose={() => setEdited(undefined)} />}
    </>
  );
}

/** What rules without a page show. */
function BuiltInPages() {
  const [shown, setShown] = useState<DefaultPage>('block');
  return (
    <Card
      title="Built-in pages"
      aside={
        <Choice
          label="Page"
          value={shown}
          options={DEFAULT_PAGES.map((page) => ({ value: page, text: BUILT_IN_TEXTS[page] }))}
          onChange={setShown}
        />
      }
    >
      <PagePreview name={shown} text={defaultPageText(shown)} />
    </Card>
  );
}

function usesText({ parts }: DraftSources, name: string): string {
  const uses = findUses(parts, 'page', name);
  return uses.length === 0 ? 'used by no rule' : `used by ${uses.join(', ')}`;
}
