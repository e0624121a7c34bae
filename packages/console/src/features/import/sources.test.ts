import { describe, expect, it } from 'vitest';
import { readSources } from './sources.js';

const fileOf = (name: string, text: string | Uint8Array<ArrayBuffer>, folderPath = ''): File =>
  Object.defineProperty(new File([text], name), 'webkitRelativePath', { value: folderPath });

describe('picked fence files', () => {
  it('of a folder keep their paths below it, without hidden files', async () => {
    const sources = await readSources([
      fileOf('site.fence', 'zone UTC', 'rules/site.fence'),
      fileOf('touts.txt', '198.18.1.1', 'rules/lists/touts.txt'),
      fileOf('.note', 'x', 'rules/.note'),
    ]);
    expect(sources).toEqual({
      fenceFiles: [{ path: 'site.fence', text: 'zone UTC' }],
      namedFiles: [{ path: 'lists/touts.txt', text: '198.18.1.1' }],
    });
  });

  it('that are single have the path that a fence names them by', async () => {
    const text = 'list touts addresses from "lists/touts.txt"';
    const { namedFiles } = await readSources([
      fileOf('site.fence', text),
      fileOf('touts.txt', ''),
      fileOf('a.txt', ''),
    ]);
    expect(namedFiles.map(({ path }) => path)).toEqual(['lists/touts.txt', 'a.txt']);
  });

  it('are refused where none is a fence file, or one is no text', async () => {
    await expect(readSources([fileOf('a.txt', '')])).rejects.toThrow(/ends in \.fence/);
    await expect(readSources([fileOf('a.fence', new Uint8Array([0xff, 0xfe]))])).rejects.toThrow(
      'a.fence is not UTF-8 text.',
    );
  });
});
