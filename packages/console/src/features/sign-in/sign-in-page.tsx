import { useMutation, useQueryClient } from '@tanstack/react-query';
import type { FormEvent } from 'react';
import { service } from '../../api/client.js';
import { meQuery } from '../../api/queries.js';
import { Button } from '../../components/button.js';
import { ErrorNotice } from '../../components/loaded.js';
import { TextField } from '../../components/text-field.js';

export function SignInPage() {
  const queryClient = useQueryClient();
  const signIn = useMutation({
    mutationFn: (input: { name: string; password: string }) => service.signIn(input.name, input.password),
    onSuccess: (me) => {
      queryClient.setQueryData(meQuery.queryKey, me);
      // Queries that were refused meanwhile are sent again.
      return queryClient.invalidateQueries({ predicate: ({ queryKey }) => queryKey[0] !== meQuery.queryKey[0] });
    },
  });
  const submit = (event: FormEvent<HTMLFormElement>): void => {
    event.preventDefault();
    const form = new FormData(event.currentTarget);
    signIn.mutate({ name: String(form.get('name')), password: String(form.get('password')) });
  };
  return (
    <main className="grid min-h-screen place-items-center p-4">
      <form onSubmit={submit} className="w-full max-w-sm rounded-2xl border border-line bg-surface p-8 shadow-sm">
        <img src="/icon.svg" alt="" className="size-12" />
        <h1 className="mt-4 text-xl font-semibold">Sign in to Jade Fence</h1>
        <p className="mt-1 text-sm text-muted">
          At its start the service prints the path of the file with the first sign-in.
        </p>
        <TextField className="mt-6" label="Name" name="name" required autoComplete="username" defaultValue="admin" />
        <TextField
          className="mt-4"
          label="Password"
          name="password"
          type="password"
          required
          autoFocus
          autoComplete="current-password"
        />
        {signIn.error && (
          <div className="mt-4">
            <ErrorNotice error={signIn.error} />
          </div>
        )}
        <Button look="primary" type="submit" disabled={signIn.isPending} className="mt-6 w-full py-2">
          Sign in
        </Button>
      </form>
    </main>
  );
}
