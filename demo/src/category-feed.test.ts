import { readFileSync } from 'node:fs';
import { describe, expect, it } from 'vitest';
import { generateCategoryFeed } from './category-feed.js';

describe('the category feed', () => {
  it('in the repository is the one that is made up', () => {
    const kept = readFileSync(new URL('../data/categories.csv', import.meta.url), 'utf8');
    expect(kept).toBe(`${generateCategoryFeed().join('\n')}\n`);
  });
});
