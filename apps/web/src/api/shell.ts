import { refusalOf, sent } from './client.ts';

/** What a command says, piece by piece; how it ended comes last. */
export type Said =
  | { out: string }
  | { err: string }
  | { failed: string; remedy?: string }
  | { code: number | null; cut?: 'time' | 'output' | 'left' };

/** Runs a line on the server and tells what it says as it says it. Never throws: what goes wrong is told like the rest. */
export async function say(
  cluster: string,
  line: string,
  role: string,
  signal: AbortSignal,
  tell: (s: Said) => void,
): Promise<void> {
  try {
    const r = await fetch(`/api/charters/${cluster}/shell`, { ...sent('POST', { line, role }), signal });
    if (!r.ok || !r.body) {
      const e = refusalOf(r.status, await r.text());
      tell({ failed: e.message, ...(e.remedy ? { remedy: e.remedy } : {}) });
      return;
    }
    const read = r.body.pipeThrough(new TextDecoderStream()).getReader();
    let rest = '';
    for (;;) {
      const { value, done } = await read.read();
      if (done) return;
      const lines = (rest + value).split('\n');
      rest = lines.pop() ?? '';
      for (const l of lines) if (l) tell(JSON.parse(l) as Said);
    }
  } catch (e) {
    tell(
      signal.aborted
        ? { code: null, cut: 'left' }
        : {
            failed: 'The server does not answer any more.',
            remedy: `Whether the command was carried out is not known. ${(e as Error).message}`,
          },
    );
  }
}
