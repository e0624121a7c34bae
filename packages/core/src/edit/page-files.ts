import { statementOf, type Configuration } from './configuration.js';

/** A page of a configuration, and the file that it is kept in. */
export interface PageFile {
  readonly name: string;
  readonly path: string;
  /** As HTML; empty where the file is not there. */
  readonly text: string;
}

export function listPages({ parts, namedFiles }: Pick<Configuration, 'parts' | 'namedFiles'>): PageFile[] {
  return parts.flatMap((part) => {
    const statement = part.kind === 'page' ? statementOf(part) : undefined;
    if (statement?.kind !== 'page') return [];
    const { path } = statement.source;
    return [{ name: part.name, path, text: namedFiles.find((file) => file.path === path)?.text ?? '' }];
  });
}
