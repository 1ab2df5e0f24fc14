import { Readable } from 'node:stream';
import * as answers from '@praesidor/contract';
import { words } from '@praesidor/core/model';
import { z } from 'zod';
import type { App } from '../../app-type.ts';
import { record } from '../../audit.ts';
import { unsealBytes } from '../../auth/seal.ts';
import type { Context } from '../../context.ts';
import { Refusal } from '../../refusal.ts';

const Named = z.strictObject({ name: words.Name });
const One = Named.extend({ id: z.coerce.number().int().min(1) });
interface Row {
  id: number;
  number: number | null;
  member: string;
  at: Date;
  bytes: string;
  sha256: string;
}

/** What etcd of a cluster held before its members were changed. */
export async function etcdBackups(app: App, { ctx }: { ctx: Context }) {
  app.get(
    '/api/charters/:name/etcd-backups',
    { config: { act: 'plan.read' }, schema: { response: { '2xx': answers.EtcdBackups }, params: Named } },
    async (req) => {
      const rows = (await ctx.db.manager.query(
        'select b.id, c.number, b.member, b.at, b.bytes, b.sha256 from etcd_backup b left join build c on c.id = b.build where b.charter = $1 and b.kept order by b.id desc',
        [req.params.name],
      )) as Row[];
      return { backups: rows.map((r) => ({ ...r, bytes: Number(r.bytes) })) };
    },
  );

  /** The file that `etcdctl snapshot restore` takes. It holds every secret of the cluster. */
  app.get(
    '/api/charters/:name/etcd-backups/:id/snapshot.db',
    { config: { act: 'clusters.access' }, schema: { params: One } },
    async (req, reply) => {
      const { name, id } = req.params;
      const [row] = (await ctx.db.manager.query('select id, bytes from etcd_backup where charter = $1 and id = $2 and kept', [
        name,
        id,
      ])) as Row[];
      if (!row) throw new Refusal('not-found', `There is no backup ${id} of the etcd of ${name}.`);
      await record(ctx.db.manager, req.who.login, 'took a backup of etcd', name, { backup: id });
      async function* pieces() {
        for (let n = 0; ; n++) {
          const [piece] = (await ctx.db.manager.query('select sealed from etcd_backup_piece where backup = $1 and n = $2', [
            id,
            n,
          ])) as { sealed: Buffer }[];
          if (!piece) return;
          yield unsealBytes(ctx.config.keyringKey, piece.sealed, `etcd backup ${id} ${n}`);
        }
      }
      return reply
        .type('application/octet-stream')
        .header('content-length', row.bytes)
        .header('content-disposition', `attachment; filename="${name}-etcd-${id}.db"`)
        .send(Readable.from(pieces()));
    },
  );
}
