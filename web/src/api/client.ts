import createClient from 'openapi-fetch';
import type { components, paths } from './schema';

export type Schemas = components['schemas'];
export type Problem = Schemas['Problem'];

/** An answer that was not what was asked for: what is wrong, in which field, and its bound. */
export class ApiError extends Error {
  constructor(readonly problem: Problem) {
    super(problem.detail || problem.title);
  }
}

export const api = createClient<paths>({ baseUrl: '' });

interface Answer<T> {
  data?: T;
  error?: unknown;
  response: Response;
}

/** The data of an answer; throws ApiError otherwise. */
export async function ok<T>(asked: Promise<Answer<T>>): Promise<T> {
  let answer: Answer<T>;
  try {
    answer = await asked;
  } catch {
    throw new ApiError(problemOf('server.away', 'the server does not answer; is it running?', 0));
  }
  if (answer.response.ok) return answer.data as T;
  const problem = answer.error as Partial<Problem> | undefined;
  if (problem?.code) throw new ApiError(problem as Problem);
  throw new ApiError(
    problemOf('http', `the server answered ${answer.response.status}`, answer.response.status),
  );
}

function problemOf(code: string, detail: string, status: number): Problem {
  return { type: 'about:blank', title: 'Failed', status, code, detail, request_id: '' };
}

/** Bytes at an address of ours. */
export async function bytes(path: string): Promise<{ body: ArrayBuffer; headers: Headers }> {
  const response = await fetch(path).catch(() => {
    throw new ApiError(problemOf('server.away', 'the server does not answer; is it running?', 0));
  });
  if (!response.ok) {
    const problem = await response.json().catch(() => undefined);
    throw new ApiError(
      problem?.code ? problem : problemOf('http', `the server answered ${response.status}`, response.status),
    );
  }
  return { body: await response.arrayBuffer(), headers: response.headers };
}
