import type { ReplayProgress } from '@jadefence/contract';
import { describe, expect, it } from 'vitest';
import type { Streams } from '../output.js';
import { LiveLines, renderProgress } from './live.js';
import { showControls } from './terminal.js';

const progress: ReplayProgress = {
  state: 'running',
  requestsDone: 1500,
  requests: 6000,
  failure: null,
  partial: {
    outcomes: { allowed: 900, blocked: 100 },
    rules: {
      'desk/idle': { hits: 0, decided: 0 },
      'desk/late': { hits: 7, decided: 0 },
      'desk/login': { hits: 100, decided: 100 },
    },
  },
};

describe('partial results of a replay', () => {
  it('is a line, or with it the outcomes and the rules that matched, most hits first', () => {
    expect(renderProgress(progress, false)).toBe('1,500 of 6,000 requests, 25.0%, running');
    expect(renderProgress(progress, true)).toBe(
      [
        '1,500 of 6,000 requests, 25.0%, running',
        '',
        'outcome  requests  share',
        'allowed       900  90.0%',
        'blocked       100  10.0%',
        '',
        'rule        hits  decided',
        'desk/login   100      100',
        'desk/late      7        0',
      ].join('\n'),
    );
    expect(renderProgress({ ...progress, partial: null, requests: 0, requestsDone: 0 }, true)).toBe(
      '0 of 0 requests, running',
    );
  });

  it('is written over itself on a terminal, and not at all elsewhere', () => {
    const shown = (isTTY: boolean): string => {
      let written = '';
      const stderr = { isTTY, write: (text: string) => ((written += text), true) };
      const lines = new LiveLines({ stderr } as unknown as Streams);
      lines.show('one\ntwo');
      lines.show('three');
      lines.end();
      lines.show('four');
      return written;
    };
    expect(showControls(shown(true))).toBe('one\ntwo\n\u001b[A\u001b[A\u001b[Jthree\nfour\n');
    expect(shown(false)).toBe('');
  });
});
