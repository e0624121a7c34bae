import { describe, expect, test } from 'vitest';
import {
  checkPage,
  DEFAULT_PAGES,
  defaultPageOf,
  defaultPageText,
  PLACEHOLDERS,
  renderPage,
  withPolicy,
  type PageValues,
} from './index.js';

const values = (text: string): PageValues =>
  Object.fromEntries(PLACEHOLDERS.map((name) => [name, text])) as unknown as PageValues;

describe('a page', () => {
  test('shows values as text, whatever they are', () => {
    const attack = `"><script>alert(1)</script>'\`=`;
    const html = renderPage('<p title="{{rule}}">{{ reason }} {{other}}</p>', values(attack));
    expect(html).not.toContain('<script');
    expect(html).toBe(
      `<p title="${'&#34;&#62;&#60;script&#62;alert(1)&#60;/script&#62;&#39;&#96;&#61;'}">${'&#34;&#62;&#60;script&#62;alert(1)&#60;/script&#62;&#39;&#96;&#61;'} {{other}}</p>`,
    );
  });

  test.each([
    ['<p>\n{{nope}}', 2, 'Unknown placeholder "{{nope}}".'],
    ['<ScRipt >x</script>', 1, 'an element that pages may not have: script'],
    ['<p>\n\n<img onerror=x>', 3, 'an event handler that pages may not have: onerror'],
    ['<a href="JavaScript :x">', 1, 'a URL with script that pages may not have: javascript'],
    ['<img src="https://www.example/a.png">', 1, 'a file from elsewhere'],
    ['<meta http-equiv="refresh" content="0">', 1, 'an attribute that pages may not have: http-equiv'],
    ['x'.repeat(300_000), 1, 'The page has 300,000 bytes'],
  ])('with %j is refused', (text, line, message) => {
    const [problem] = checkPage(text);
    expect(problem).toMatchObject({ line, message: expect.stringContaining(message) as string });
  });

  test('of hostile text is checked in little time', () => {
    for (const text of ['<', '{{ ', ' on', '<img src', 'javascript ', "= '"]) {
      const begun = performance.now();
      checkPage(text.repeat(Math.floor(250_000 / text.length)));
      expect([text, performance.now() - begun < 5000]).toEqual([text, true]);
    }
  });

  test('that is the default has no problem, a language, a title and one heading', () => {
    for (const name of DEFAULT_PAGES) {
      const text = defaultPageText(name);
      expect([name, checkPage(text)]).toEqual([name, []]);
      expect(text).toMatch(/<html lang="en">[^]*<title>[^<]+<\/title>[^]*<h1>/);
    }
    expect([
      defaultPageOf('held', 'warning'),
      defaultPageOf('limited', undefined),
      defaultPageOf('redirected', undefined),
    ]).toEqual(['warn', 'limit', undefined]);
  });

  test('gets its policy first in the head, or after the doctype', () => {
    expect(withPolicy('<!doctype html><html><head><title>x</title>')).toContain(
      `<head><meta http-equiv="content-security-policy" content="default-src 'none'`,
    );
    expect(withPolicy('<p>x</p>')).toMatch(/^<meta http-equiv/);
  });
});
