import { Random } from '@jadefence/demo';

const SYLLABLES = 'an ba co da el fi go ha in jo ka lu mo ne or pa qui ra so ta un vi we xa yo za'.split(' ');
const LINES_A_PIECE = 4096;

/** Made-up domains, one a line, the same each time: two to five syllables and a number, some one level deeper. */
export function* writeDomains(count: number): Generator<Buffer> {
  const random = new Random(5_000_000);
  const word = (): string =>
    Array.from({ length: 2 + random.below(3) }, () => SYLLABLES[random.below(SYLLABLES.length)]).join('');
  for (let done = 0; done < count; done += LINES_A_PIECE) {
    let text = '';
    for (let line = done; line < Math.min(count, done + LINES_A_PIECE); line += 1) {
      const name = `${word()}${line.toString(36)}`;
      text += random.below(5) === 0 ? `shop.${name}.example\n` : `${name}.example\n`;
    }
    yield Buffer.from(text, 'latin1');
  }
}
