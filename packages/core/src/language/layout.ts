/** How canonical text is laid out. */

export const MAX_WIDTH = 110;

export function printTitle(title: string | undefined): string {
  return title === undefined ? '' : ` ${JSON.stringify(title)}`;
}

export function printComments(comments: readonly string[], indent: string): string {
  return comments.map((comment) => `${indent}#${comment === '' ? '' : ` ${comment}`}\n`).join('');
}
