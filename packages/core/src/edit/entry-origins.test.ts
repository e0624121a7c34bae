import { expect, it } from 'vitest';
import { findEntryOrigins, type ListVersion } from './entry-origins.js';

const origins = (...versions: readonly ListVersion[]) => Object.fromEntries(findEntryOrigins(versions));
const list = (entries: string) => ({ text: `list team addresses { ${entries} }` });

it('an entry of a list was added by the write that first had it, or had it again', () => {
  expect(origins(list('198.18.4.7'), list('198.18.4.7, 198.18.5.0/24 except 198.18.5.9'))).toEqual({
    '198.18.4.7': 0,
    '198.18.5.0/24': 1,
    'except 198.18.5.9': 1,
  });
  expect(origins(list('198.18.4.7'), {}, list('198.18.4.7'))).toEqual({ '198.18.4.7': 2 });
  expect(origins(list('198.18.4.7'), list('198.18.4.8'))).toEqual({ '198.18.4.8': 1 });
});

it('comments, quotes and ranges of entries are read as they are printed', () => {
  const text = `# of, the "desk"
list team addresses "a { b" {
  # two, and "more"
  198.18.4.7 - 198.18.4.9,
  office
  except
  # none
  198.18.4.8
}`;
  expect(origins({ text })).toEqual({ '198.18.4.7 - 198.18.4.9': 0, 'office': 0, 'except 198.18.4.8': 0 });
  expect(origins({ text: 'list team domains { "desk", desk.example }' })).toEqual({ '"desk"': 0, 'desk.example': 0 });
});

it('the entries of a list in a file are added by the writes of the file', () => {
  const text = 'list team addresses from "team.txt"';
  const first = { text, fileText: '198.18.4.7 # the desk\n' };
  expect(origins(first, { text, fileText: '# office\n198.18.4.7\n198.18.4.8\n' })).toEqual({
    '198.18.4.7': 0,
    '198.18.4.8': 1,
  });
});
