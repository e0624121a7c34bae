import { expect, it } from 'vitest';
import { writeCsv } from './csv.js';

it('a table is written as it is shown, and nothing in it is taken for a formula', () => {
  const columns = [
    { id: 'line', title: 'line', text: (row: { line: number }) => String(row.line) },
    { id: 'path', title: 'path, as written', text: (row: { path: string }) => row.path },
  ];
  const rows = [
    { line: 1, path: '/a"b",c' },
    { line: 2, path: '=1+1' },
  ];
  expect(writeCsv(columns, rows)).toBe('line,"path, as written"\r\n1,"/a""b"",c"\r\n2,\'=1+1\r\n');
});
