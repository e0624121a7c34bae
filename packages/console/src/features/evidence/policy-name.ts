import type { Replay } from '@jadefence/contract';

/** The rules that a replay was judged by, in words. */
export function policyName({ revision, folder }: Pick<Replay, 'revision' | 'folder'>): string {
  if (folder !== null) return `the fences of ${folder}`;
  return revision === null ? 'the draft' : `revision ${revision}`;
}
