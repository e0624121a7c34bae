import { useMutation, useQueryClient } from '@tanstack/react-query';
import { useNavigate } from 'react-router';
import { service } from '../../api/client.js';

/** Starts a replay and leads to it. */
export function useStartReplay() {
  const client = useQueryClient();
  const navigate = useNavigate();
  return useMutation({
    mutationFn: service.startReplay,
    onSuccess: async ({ id }) => {
      await client.invalidateQueries({ queryKey: ['replays'] });
      await navigate(`/replays/${id}`);
    },
  });
}
