import { useMutation, useQuery, useQueryClient } from '@tanstack/react-query';
import { client, keepCsrf } from './client.ts';
import { keys } from './keys.ts';

/** Who is signed in; fails when nobody is. */
export function useSession() {
  return useQuery({
    queryKey: keys.session,
    queryFn: async () => {
      const session = await client.session();
      keepCsrf(session.csrf);
      return session;
    },
    staleTime: Infinity,
  });
}

export function useSignIn() {
  const queries = useQueryClient();
  return useMutation({
    mutationFn: ({ email, password }: { email: string; password: string }) => client.signIn({ email, password }),
    onSuccess: (session) => {
      keepCsrf(session.csrf);
      queries.setQueryData(keys.session, session);
      // What was asked for in vain while nobody was signed in is asked for again.
      return queries.invalidateQueries({ predicate: (query) => query.queryKey[0] !== keys.session[0] });
    },
  });
}

export function useSignOut() {
  const queries = useQueryClient();
  return useMutation({ mutationFn: () => client.signOut(), onSuccess: () => queries.clear() });
}
