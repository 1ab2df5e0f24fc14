/** What the server says when it refuses: what, why, where, and what to do. */
export interface Place {
  path?: string;
  code?: string;
  line?: number;
  column?: number;
  message: string;
}
export class ApiError extends Error {
  constructor(
    readonly status: number,
    readonly code: string,
    message: string,
    readonly remedy?: string,
    readonly places: Place[] = [],
    readonly current?: unknown,
  ) {
    super(message);
    this.name = 'ApiError';
  }
}

let csrf = '';
export const setCsrf = (token: string) => {
  csrf = token;
};

export const api = async <T = object>(method: Method, path: string, body?: unknown): Promise<T> =>
  (await ask<T>(method, path, body)).json;

type Method = 'GET' | 'POST' | 'PUT' | 'DELETE';
/** An answer as text and as what was read from it. @throws ApiError */
export async function ask<T = object>(method: Method, path: string, body?: unknown): Promise<{ json: T; text: string }> {
  let r: Response;
  try {
    r = await fetch(path, {
      method,
      headers: {
        ...(method === 'GET' ? {} : { 'x-csrf-token': csrf }),
        ...(body === undefined ? {} : { 'content-type': 'application/json' }),
      },
      ...(body === undefined ? {} : { body: JSON.stringify(body) }),
    });
  } catch {
    throw new ApiError(0, 'offline', 'The server does not answer.', 'Look whether it runs; what you typed stays here.');
  }
  const text = await r.text().catch(() => '');
  let read: unknown;
  try {
    read = JSON.parse(text);
  } catch {
    read = {};
  }
  const json = read as {
    code?: string;
    message?: string;
    remedy?: string;
    places?: Place[];
    current?: unknown;
  };
  if (!r.ok)
    throw new ApiError(
      r.status,
      json.code ?? 'fault',
      json.message ?? `The server answered ${r.status}.`,
      json.remedy,
      json.places,
      json.current,
    );
  return { json: json as T, text };
}
