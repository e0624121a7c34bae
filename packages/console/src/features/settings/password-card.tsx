import { useMutation } from '@tanstack/react-query';
import { useState, type FormEvent } from 'react';
import { service } from '../../api/client.js';
import { Button } from '../../components/button.js';
import { Card } from '../../components/layout.js';
import { ErrorNotice } from '../../components/loaded.js';
import { TextField } from '../../components/text-field.js';

const MIN_CHARACTERS = 12;

/** The password of the user who is signed in. */
export function PasswordCard() {
  const [password, setPassword] = useState('');
  const [newPassword, setNewPassword] = useState('');
  const [repeated, setRepeated] = useState('');
  const change = useMutation({
    mutationFn: () => service.changePassword({ password, newPassword }),
    onSuccess: () => [setPassword, setNewPassword, setRepeated].forEach((set) => set('')),
  });
  const isDifferent = repeated !== '' && repeated !== newPassword;
  const submit = (event: FormEvent): void => {
    event.preventDefault();
    change.mutate();
  };
  return (
    <Card title="Your password">
      <form onSubmit={submit} className="grid gap-3 p-4 text-sm">
        <div className="flex flex-wrap items-start gap-3">
          <TextField
            label="Current password"
            type="password"
            autoComplete="current-password"
            required
            value={password}
            onChange={(event) => setPassword(event.target.value)}
          />
          <TextField
            label={`New password, at least ${MIN_CHARACTERS} characters`}
            type="password"
            autoComplete="new-password"
            required
            minLength={MIN_CHARACTERS}
            value={newPassword}
            onChange={(event) => setNewPassword(event.target.value)}
          />
          <TextField
            label="New password again"
            type="password"
            autoComplete="new-password"
            required
            value={repeated}
            problem={isDifferent ? 'It differs from the one before.' : undefined}
            onChange={(event) => setRepeated(event.target.value)}
          />
          <Button type="submit" className="mt-6" disabled={isDifferent || change.isPending}>
            Change password
          </Button>
        </div>
        {change.isSuccess && <p role="status">The password is changed. Your other sessions have ended.</p>}
        {change.error && <ErrorNotice error={change.error} />}
      </form>
    </Card>
  );
}
