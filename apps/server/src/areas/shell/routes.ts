import { PassThrough } from 'node:stream';
import { clusterRoleNames } from '@praesidor/core/access';
import { words } from '@praesidor/core/model';
import { z } from 'zod';
import type { App } from '../../app-type.ts';
import { record } from '../../audit.ts';
import type { Context } from '../../context.ts';
import { Refusal } from '../../refusal.ts';
import { clearRooms, confined, NotHere, programAt } from '../../shell/confined.ts';
import { configOf, noRoles, ownAccess, putRoles } from '../clusters/hand-out.ts';
import { recorded, wordsOf } from './words-of.ts';

/** How long one command may run, and how much it may say. */
export const limits = { seconds: 300, bytes: 1_000_000, ofOne: 3, ofAll: 12 };

/** A line of what a command says: some of its output; or how it ended, which comes last. */
type Line =
  | { out: string }
  | { err: string }
  | { code: number | null; cut?: 'time' | 'output' | 'left' }
  | { failed: string; remedy: string };

/**
 * A command shell for a cluster: each line is one `kubectl` in a room of its own, with a certificate of whoever asks, of the role that they chose,
 * put on record before it begins. No state is kept between two lines: any server answers.
 */
export async function shell(app: App, { ctx }: { ctx: Context }) {
  const running = new Map<string, number>();
  void clearRooms().catch((e: Error) => ctx.log('shell', { error: e.message }));
  app.post(
    '/api/charters/:name/shell',
    {
      config: { act: 'clusters.view' },
      schema: {
        params: z.strictObject({ name: words.Name }),
        body: z.strictObject({ line: z.string().min(1).max(4000), role: z.enum(clusterRoleNames).default('view') }),
      },
    },
    async (req, reply) => {
      const { name } = req.params;
      const { line, role } = req.body;
      const args = wordsOf(line);
      const program = programAt('kubectl');
      if (!program)
        throw new Refusal('not-now', 'There is no kubectl on this server.', {
          remedy: 'Have it installed there, or take a kubeconfig.',
        });
      const { login } = req.who;
      const own = await ownAccess(ctx, name, req.principal, role, 1);
      await putRoles(ctx, name, own, false).catch((e: Error) => {
        throw noRoles(name, e);
      });
      const mine = running.get(login) ?? 0;
      const all = [...running.values()].reduce((a, b) => a + b, 0);
      if (mine >= limits.ofOne || all >= limits.ofAll)
        throw new Refusal(
          'too-many',
          `${mine >= limits.ofOne ? `${mine} commands of ${login} run` : `${all} commands run on this server`} already.`,
          {
            remedy: 'Stop one of them, or wait for its end.',
          },
        );
      running.set(login, mine + 1);
      const said = new PassThrough();
      const tell = (l: Line) => void said.write(`${JSON.stringify(l)}\n`);
      const left = new AbortController();
      // Whoever asked has gone, or stopped it: then it ends too.
      reply.raw.once('close', () => left.abort());
      try {
        await record(ctx.db.manager, login, 'ran kubectl', name, { command: recorded(args), role, serial: own.serial });
      } catch (e) {
        running.set(login, (running.get(login) ?? 1) - 1);
        throw e;
      }
      const { host, address, port } = { host: own.plan.api.name, address: own.plan.api.address, port: own.plan.api.port };
      void confined({
        program,
        args,
        kubeconfig: configOf(own, `${login}-${role}`, { server: 'https://127.0.0.1:6443', serverName: host }),
        reach: () => ctx.dialer.connect({ purpose: 'cluster', host: address, port, tls: false }),
        signal: left.signal,
        seconds: limits.seconds,
        bytes: limits.bytes,
        said: (which, text) => tell(which === 'out' ? { out: text } : { err: text }),
      })
        .then(
          async (ran) => {
            if (ran.cut) await record(ctx.db.manager, login, 'ended a kubectl', name, { command: recorded(args), why: ran.cut });
            tell(ran);
          },
          (e: Error) =>
            tell(
              e instanceof NotHere
                ? {
                    failed: `Nothing can be run confined on this server: ${e.message}`,
                    remedy: 'It takes util-linux, iproute2 and user namespaces.',
                  }
                : { failed: e.message, remedy: 'The log of the server has the details.' },
            ),
        )
        .catch((e: Error) => ctx.log('shell', { error: e.message }))
        .finally(() => {
          const now = (running.get(login) ?? 1) - 1;
          if (now > 0) running.set(login, now);
          else running.delete(login);
          said.end();
        });
      return reply.header('content-type', 'application/x-ndjson').header('cache-control', 'no-store').send(said);
    },
  );
}
