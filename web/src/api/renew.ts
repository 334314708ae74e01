import type { QueryClient, QueryKey } from '@tanstack/react-query';

/**
 * Asks anew for what has changed on the server. An answer that is still on its way was asked for before the
 * change and may not hold it: a query that has no data yet would take it for the new one, so it is given up first.
 */
export async function renew(client: QueryClient, ...keys: QueryKey[]): Promise<void> {
  await Promise.all(
    keys.map(async (queryKey) => {
      await client.cancelQueries({ queryKey });
      await client.invalidateQueries({ queryKey });
    }),
  );
}
