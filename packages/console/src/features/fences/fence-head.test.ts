import { parseFences, printStatement } from '@jadefence/core/language';
import { describe, expect, it } from 'vitest';
import { endingOf, fenceText } from './fence-head.js';

describe('the head of a fence', () => {
  it.each(['continue', 'allow', 'block', 'block 451', 'redirect "https://a.example/x" 307'])(
    'keeps its title and that it ends with %s',
    (ending) => {
      const old = '# kept\nfence desk trial { }';
      const text = fenceText({ name: 'desk', mode: 'trial' }, 'The "desk" \\ door', ending, old);
      const { file, diagnostics } = parseFences(text, 'f');
      expect(diagnostics).toEqual([]);
      const [fence] = file.statements;
      expect(fence).toMatchObject({ comments: ['kept'], name: 'desk', mode: 'trial', title: 'The "desk" \\ door' });
      expect(endingOf(printStatement(fence!))).toBe(ending);
    },
  );
});
