import type { DraftFence } from '@jadefence/contract';

/** What happens at the end of a fence, as its text has it. @param text the head of a fence as the draft keeps it */
export function endingOf(text: string): string {
  return /^\s*otherwise (.*?)\s*\}?\s*$/m.exec(text)?.[1] ?? 'continue';
}

/**
 * The head of a fence as fence text, without its rules.
 * @param ending fence text, such as `continue` or `block 451`
 * @param old the head as it was, whose comments are kept
 */
export function fenceText(
  { name, mode }: Pick<DraftFence, 'name' | 'mode'>,
  title: string,
  ending: string,
  old = '',
): string {
  const [comments] = /^(#.*\n)*/.exec(old)!;
  const quoted = title === '' ? '' : ` "${title.replaceAll('\\', '\\\\').replaceAll('"', '\\"')}"`;
  return `${comments}fence ${name} ${mode}${quoted} { otherwise ${ending} }`;
}
