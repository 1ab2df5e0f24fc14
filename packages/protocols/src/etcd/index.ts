import { askMutual, type MutualAt, ProtocolError } from '../dial/index.ts';

/** One member of etcd, asked over its gateway for JSON (version 3.4 and later), with a client certificate of its authority. */
export type EtcdAt = MutualAt;

export interface EtcdMember {
  /** A number of 64 bits, as text. */
  id: string;
  /** Empty until it has started. */
  name: string;
  peers: string[];
}

async function ask<T>(at: EtcdAt, path: string, body: object): Promise<T> {
  return askMutual(at, 'cluster', { path, method: 'POST', body: JSON.stringify(body) }, async (status, answer) => {
    const text = await answer.text();
    if (status >= 400) throw new ProtocolError('answer', `${at.host}:${at.port}`, refusalOf(status, text), status);
    return JSON.parse(text) as T;
  });
}
function refusalOf(status: number, text: string): string {
  try {
    const { message, error } = JSON.parse(text) as { message?: string; error?: string };
    return message ?? error ?? `it answered ${status}`;
  } catch {
    return `it answered ${status}: ${text.slice(0, 200)}`;
  }
}

/** Who is a member, as most of them see it. @throws ProtocolError */
export async function etcdMembers(at: EtcdAt): Promise<EtcdMember[]> {
  const { members } = await ask<{ members?: { ID: string; name?: string; peerURLs?: string[] }[] }>(
    at,
    '/v3/cluster/member/list',
    {},
  );
  return (members ?? []).map((m) => ({ id: m.ID, name: m.name ?? '', peers: m.peerURLs ?? [] }));
}

/** Takes a member out. etcd refuses it where too few of the others have started. @throws ProtocolError */
export async function removeEtcdMember(at: EtcdAt, id: string): Promise<void> {
  await ask(at, '/v3/cluster/member/remove', { ID: id });
}

/**
 * All that etcd holds at one moment, piece by piece: the file that `etcdctl snapshot save` writes, with its own checksum at its end.
 * The next piece is read when `take` has done with one. @throws ProtocolError also when it ends before its end
 */
export async function etcdSnapshot(at: EtcdAt, take: (piece: Uint8Array) => Promise<void>): Promise<void> {
  const where = `${at.host}:${at.port}`;
  const ask = { path: '/v3/maintenance/snapshot', method: 'POST', body: '{}', silentMs: 60_000 };
  await askMutual(at, 'cluster', ask, async (status, body) => {
    if (status >= 400) throw new ProtocolError('answer', where, refusalOf(status, await body.text()), status);
    let left = -1;
    const read = async (line: string) => {
      if (!line.trim()) return;
      const { result, error } = JSON.parse(line) as {
        result?: { blob?: string; remaining_bytes?: string };
        error?: { message?: string };
      };
      if (error) throw new ProtocolError('answer', where, error.message ?? 'the snapshot was broken off');
      // What is nothing is left out of the answer.
      left = Number(result?.remaining_bytes ?? 0);
      if (result?.blob) await take(Buffer.from(result.blob, 'base64'));
    };
    const decoder = new TextDecoder();
    let rest = '';
    for await (const chunk of body) {
      rest += decoder.decode(chunk, { stream: true });
      const lines = rest.split('\n');
      rest = lines.pop() ?? '';
      for (const l of lines) await read(l);
    }
    await read(rest);
    if (left !== 0) throw new ProtocolError('cut', where, 'the snapshot ended before its end');
  });
}
