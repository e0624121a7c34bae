import { useState } from 'react';

/** A form and its fence text, each of which follows the other. */
export interface TextForm<V> {
  readonly text: string;
  readonly values: V;
  /** What is wrong with the text. */
  readonly problem: string | undefined;
  readonly isDirty: boolean;
  /** Changes fields; the text is written anew. */
  readonly set: (change: Partial<V>) => void;
  /** Changes the text; the fields follow where it can be read. */
  readonly write: (text: string) => void;
}

/**
 * @param print the fields as fence text, also where they are not right yet
 * @param read the fields of a text, or what is wrong with it
 * @param given the text of what is there; of something new, undefined
 */
export function useTextForm<V extends object>(
  blank: V,
  print: (values: V) => string,
  read: (text: string) => V | { readonly problem: string },
  given?: string,
): TextForm<V> {
  const [initial] = useState(() => given ?? print(blank));
  const [text, setText] = useState(initial);
  const result = read(text);
  const [values, setValues] = useState('problem' in result ? blank : result);
  return {
    text,
    values,
    problem: 'problem' in result ? result.problem : undefined,
    isDirty: text !== initial,
    set: (change) => {
      const changed = { ...values, ...change };
      setValues(changed);
      setText(print(changed));
    },
    write: (written) => {
      setText(written);
      const changed = read(written);
      if (!('problem' in changed)) setValues(changed);
    },
  };
}
