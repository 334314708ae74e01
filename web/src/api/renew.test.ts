import { QueryClient, QueryObserver } from '@tanstack/react-query';
import { expect, test } from 'vitest';
import { renew } from './renew';

function asking(key: string[]) {
  const client = new QueryClient({ defaultOptions: { queries: { retry: false } } });
  const answers: ((value: string[]) => void)[] = [];
  const observer = new QueryObserver<string[]>(client, {
    queryKey: key,
    queryFn: () => new Promise<string[]>((answer) => answers.push(answer)),
    staleTime: Number.POSITIVE_INFINITY,
  });
  const end = observer.subscribe(() => {});
  return { client, answers, observer, end };
}

test('an answer asked for before a change does not stand for the one after it', async () => {
  const { client, answers, observer, end } = asking(['motions', 'shot']);
  expect(answers.length).toBe(1); // the first is on its way when something is kept
  const renewed = renew(client, ['motions']);
  await expect.poll(() => answers.length).toBe(2);
  answers[0]?.(['before']);
  answers[1]?.(['before', 'kept']);
  await renewed;
  expect(observer.getCurrentResult().data).toEqual(['before', 'kept']);
  end();
});

test('data that is there stays until the new has come', async () => {
  const { client, answers, observer, end } = asking(['looks', 'house']);
  answers[0]?.(['old']);
  await expect.poll(() => observer.getCurrentResult().data).toEqual(['old']);
  const renewed = renew(client, ['looks'], ['nothing asks for this']);
  await expect.poll(() => answers.length).toBe(2);
  expect(observer.getCurrentResult().data).toEqual(['old']);
  answers[1]?.(['new']);
  await renewed;
  expect(observer.getCurrentResult().data).toEqual(['new']);
  end();
});
