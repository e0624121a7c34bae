import { describe, expect, it } from 'vitest';
import { fieldsOf, NEW_GATE, readGate, writeGate } from './gate-text.js';

const TEXT = `# in front of the shop
gate shop inbound {
  hosts shop.example, =www.example
  client from header x-forwarded-for trusting proxies, 198.18.1.0/24
  fences house, desk
  otherwise block 451
}
`;

describe('the fields of a gate', () => {
  it('give the same gate again, with what they do not have', () => {
    const gate = readGate(TEXT)!;
    expect(fieldsOf(gate)).toEqual({
      ...NEW_GATE,
      name: 'shop',
      hosts: ['shop.example', '=www.example'],
      header: 'x-forwarded-for',
      trusting: ['proxies', '198.18.1.0/24'],
      fences: ['house', 'desk'],
      otherwise: 'block 451',
    });
    expect(writeGate(fieldsOf(gate), gate)).toEqual({ text: TEXT.trimEnd(), problems: [] });
  });

  it('have how paths are read, and of an outbound gate what is inspected', () => {
    const text = `gate out outbound {
  clients offices
  paths fold-case merge-slashes
  inspect {
    exempt when category in health
    otherwise inspect
  }
  otherwise allow
}`;
    const gate = readGate(text)!;
    expect(fieldsOf(gate)).toMatchObject({
      pathForms: ['fold-case', 'merge-slashes'],
      inspection: { otherwise: true },
    });
    expect(writeGate(fieldsOf(gate), gate).text).toBe(text);
    expect(writeGate({ ...fieldsOf(gate), pathForms: [], inspection: undefined }).text).not.toMatch(/paths|inspect/);
  });

  it('report what makes no gate', () => {
    expect(writeGate({ ...NEW_GATE, name: 'Shop', hosts: ['shop.example'] }).problems[0]!.message).toContain('"Shop"');
    expect(writeGate({ ...NEW_GATE, name: 'shop' }).problems.length).toBeGreaterThan(0);
  });
});
