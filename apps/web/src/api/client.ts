import type { Collision } from '@praesidor/core/model';

/** What the server says when it refuses: what, why, where, and what to do. */
export interface Place {
  path?: string;
  code?: string;
  line?: number;
  column?: number;
  message: string;
}
/** Something that uses what was to go, and what ends that. */
export interface Use {
  by: string;
  how: string;
  act: { label: string; path: string };
}
/** What a refusal tells beside its words. */
export interface More {
  remedy?: string;
  places?: Place[];
  /** What stands there now. */
  current?: unknown;
  /** Fields that two people set to different values. */
  collisions?: Collision[];
  uses?: Use[];
}
export class ApiError extends Error {
  readonly remedy: string | undefined;
  readonly places: Place[];
  readonly current: unknown;
  readonly collisions: Collision[];
  readonly uses: Use[];
  constructor(
    readonly status: number,
    readonly code: string,
    message: string,
    more: More = {},
  ) {
    super(message);
    this.remedy = more.remedy;
    this.places = more.places ?? [];
    this.current = more.current;
    this.collisions = more.collisions ?? [];
    this.uses = more.uses ?? [];
    this.name = 'ApiError';
  }
}

let csrf = '';
export const setCsrf = (token: string) => {
  csrf = token;
};

export const api = async <T = object>(method: Method, path: string, body?: unknown): Promise<T> =>
  (await ask<T>(method, path, body)).json;

export type Method = 'GET' | 'POST' | 'PUT' | 'PATCH' | 'DELETE';
/** One request as it is sent. */
export interface Call {
  method: Method;
  path: string;
  body?: unknown;
}
/** An answer as text and as what was read from it. @throws ApiError */
export async function ask<T = object>(method: Method, path: string, body?: unknown): Promise<{ json: T; text: string }> {
  let r: Response;
  try {
    r = await fetch(path, sent(method, body));
  } catch {
    throw new ApiError(0, 'offline', 'The server does not answer.', {
      remedy: 'Look whether it runs; what you typed stays here.',
    });
  }
  const text = await r.text().catch(() => '');
  if (!r.ok) throw refusalOf(r.status, text);
  return { json: jsonOf(text) as T, text };
}
/** A request as this page sends it. */
export const sent = (method: Method, body?: unknown): RequestInit => ({
  method,
  headers: {
    ...(method === 'GET' ? {} : { 'x-csrf-token': csrf }),
    ...(body === undefined ? {} : { 'content-type': 'application/json' }),
  },
  ...(body === undefined ? {} : { body: JSON.stringify(body) }),
});
/** Saves a file that the server makes, where the browser keeps such. @throws ApiError */
export async function download(path: string, name: string): Promise<void> {
  const r = await fetch(path);
  if (!r.ok) throw refusalOf(r.status, await r.text());
  const url = URL.createObjectURL(await r.blob());
  const a = document.createElement('a');
  a.href = url;
  a.download = name;
  a.click();
  URL.revokeObjectURL(url);
}
/** A file of the person's, sent as it is. @throws ApiError */
export async function upload<T>(path: string, contentType: string, file: File): Promise<T> {
  const r = await fetch(path, { method: 'POST', headers: { 'content-type': contentType, 'x-csrf-token': csrf }, body: file });
  const text = await r.text();
  if (!r.ok) throw refusalOf(r.status, text);
  return jsonOf(text) as T;
}
/** What the server said when it refused. */
export function refusalOf(status: number, text: string): ApiError {
  const json = jsonOf(text) as More & { code?: string; message?: string };
  return new ApiError(status, json.code ?? 'fault', json.message ?? `The server answered ${status}.`, json);
}
function jsonOf(text: string): unknown {
  try {
    return JSON.parse(text);
  } catch {
    return {};
  }
}
