import { useCallback } from 'react';
import { useSearchParams } from 'react-router';

/** What of a page is kept in its address, so that back, reload and a link to a colleague show the same. */
export interface AddressState {
  readonly get: (key: string) => string | undefined;
  /** Changes what is given; undefined takes it out. @param isSmall the way back skips it */
  readonly set: (changes: Readonly<Record<string, string | number | undefined>>, isSmall?: boolean) => void;
}

export function useAddressState(): AddressState {
  const [params, setParams] = useSearchParams();
  const set = useCallback<AddressState['set']>(
    (changes, isSmall = false) =>
      setParams(
        () => {
          // What was put there a moment ago may not be drawn yet.
          const after = new URLSearchParams(window.location.search);
          for (const [key, value] of Object.entries(changes))
            if (value === undefined || value === '') after.delete(key);
            else after.set(key, String(value));
          return after;
        },
        { replace: isSmall, preventScrollReset: true },
      ),
    [setParams],
  );
  const get = useCallback((key: string) => params.get(key) ?? undefined, [params]);
  return { get, set };
}

/** A whole number from an address, where it is one. */
export function wholeOf(text: string | undefined): number | undefined {
  return text !== undefined && /^\d{1,12}$/.test(text) ? Number(text) : undefined;
}
