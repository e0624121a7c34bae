import { describe, expect, it } from 'vitest';
import { TryLimit } from './try-limit.js';

describe('wrong sign-ins', () => {
  it('are refused after ten within a minute from one address, and only from there', () => {
    let now = 0;
    const limit = new TryLimit(() => now);
    for (let index = 0; index < 10; index += 1) {
      limit.assertFree('198.18.4.7');
      limit.countWrong('198.18.4.7');
      now += 1000;
    }
    expect(() => limit.assertFree('198.18.4.7')).toThrow('ten wrong sign-ins');
    expect(() => limit.assertFree('198.18.4.8')).not.toThrow();
    now = 59_999;
    expect(() => limit.assertFree('198.18.4.7')).toThrow('ten wrong sign-ins');
    now = 60_001;
    expect(() => limit.assertFree('198.18.4.7')).not.toThrow();
  });
});
