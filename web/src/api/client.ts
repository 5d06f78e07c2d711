import { notifications } from '@mantine/notifications';
import { MutationCache, QueryClient } from '@tanstack/react-query';
import createClient from 'openapi-fetch';

import type { components, paths } from './schema';

export type Schemas = components['schemas'];

const AUTHOR = 'saltwort-author';

/** Who works in this browser, as they said; shown beside their revisions. */
export const author = () => localStorage.getItem(AUTHOR) ?? '';
export const setAuthor = (name: string) => localStorage.setItem(AUTHOR, name);

const signed = () => ({ 'X-Saltwort-Author': encodeURIComponent(author()) });

export const api = createClient<paths>({ baseUrl: '/' });
api.use({
  onRequest({ request }) {
    Object.entries(signed()).forEach(([name, value]) => request.headers.set(name, value));
  },
});

/** What the server refused, in its own sentence. */
export class Refused extends Error {
  constructor(
    message: string,
    readonly status: number,
    /** The field of the request that is wrong, where that is known. */
    readonly field = '',
  ) {
    super(message);
  }
}

const UNREACHABLE = 'Saltwort does not answer. Is it still running? Start it with “make run”.';

interface Answer<T> {
  data?: T;
  error?: unknown;
  response: Response;
}

/** The body of an answer, or the server's refusal as an error. */
export async function body<T>(asked: Promise<Answer<T>>): Promise<T> {
  const answer = await asked.catch(() => {
    throw new Refused(UNREACHABLE, 0);
  });
  if (!answer.response.ok) throw new Refused(sentence(answer.error), answer.response.status, (answer.error as { field?: string } | undefined)?.field);
  return answer.data as T;
}

function sentence(error: unknown): string {
  const detail = (error as { detail?: unknown } | undefined)?.detail;
  return typeof detail === 'string' ? detail : 'Something went wrong inside Saltwort; its log says what.';
}

/** Send a form with files. */
export async function sendForm<T>(path: string, form: FormData): Promise<T> {
  const asked = fetch(path, { method: 'POST', body: form, headers: signed() }).then(async (response) => {
    const content: unknown = await response.json().catch(() => undefined);
    return response.ok ? { data: content as T, response } : { error: content, response };
  });
  return body(asked);
}

/** Send a form with one file. */
export function send<T>(path: string, fields: Record<string, string | File>): Promise<T> {
  const form = new FormData();
  for (const [name, value] of Object.entries(fields)) form.append(name, value);
  return sendForm(path, form);
}

/** What is wrong with a field, of those that are marked by themselves; what is known of none of them stands at the rest. */
export function errorAt(error: Error | null, field: string, marked: string[]): string | undefined {
  if (!error) return undefined;
  const told = error instanceof Refused && marked.includes(error.field) ? error.field : '';
  return told === field ? error.message : undefined;
}

export function tell(message: string, title?: string) {
  notifications.show({ message, title });
}

export function tellError(error: Error) {
  notifications.show({ message: error.message, title: 'Could not save', autoClose: 10000, color: 'red' });
}

export const queryClient = new QueryClient({
  defaultOptions: { queries: { retry: 1, staleTime: 2000, refetchOnWindowFocus: true } },
  mutationCache: new MutationCache({
    onError: (error) => {
      tellError(error);
      // A refusal may mean that this window shows an older state.
      void queryClient.invalidateQueries();
    },
  }),
});
