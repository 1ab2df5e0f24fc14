import { createHash } from 'node:crypto';
import { notBackedUp } from '@praesidor/core/schedule';
import { bytesText } from '@praesidor/core/words';
import { etcdSnapshot } from '@praesidor/protocols/etcd';
import { sealBytes } from '../../../auth/seal.ts';
import { type StepContext, StepFailure, type StepRunner } from '../step.ts';
import { first } from './member.ts';

/** Backups of a cluster that are kept; the oldest goes. */
const kept = 5;
/** Bytes of a snapshot that are sealed as one. */
const pieceBytes = 1_048_576;

/** Writes down all that etcd holds, sealed, before its members are changed. Its own checksum says whether it is whole. */
export const backup: StepRunner = {
  kind: 'backup',
  run: async (s) => {
    if (s.build.decided.unbacked?.includes(s.build.charter)) return 'not backed up, as was decided';
    return snapshot(s).catch((e: unknown) => {
      throw e instanceof StepFailure ? new StepFailure(e.message, e.remedy, notBackedUp) : e;
    });
  },
};

const snapshot = (s: StepContext): Promise<string> =>
  first(s, async (at) => {
    const { ctx, build, progress } = s;
    const m = ctx.db.manager;
    const [{ id }] = (await m.query('insert into etcd_backup (charter, build, member) values ($1, $2, $3) returning id', [
      build.charter,
      build.id,
      at.host,
    ])) as [{ id: number }];
    const whole = createHash('sha256');
    const own = createHash('sha256');
    /** The checksum that etcd puts behind its data. */
    let tail = Buffer.alloc(0);
    let pending: Buffer[] = [];
    let size = 0;
    let bytes = 0;
    let n = 0;
    const keep = async () => {
      if (!size) return;
      const piece = Buffer.concat(pending);
      pending = [];
      size = 0;
      await m.query('insert into etcd_backup_piece (backup, n, sealed) values ($1, $2, $3)', [
        id,
        n,
        sealBytes(ctx.config.keyringKey, piece, `etcd backup ${id} ${n}`),
      ]);
      n++;
    };
    try {
      await etcdSnapshot(at, async (piece) => {
        whole.update(piece);
        const all = Buffer.concat([tail, piece]);
        tail = all.subarray(Math.max(0, all.length - 32));
        own.update(all.subarray(0, all.length - tail.length));
        pending.push(Buffer.from(piece));
        size += piece.length;
        bytes += piece.length;
        if (size >= pieceBytes) await keep();
        await progress(0, 1, bytesText(bytes));
      });
      await keep();
      if (own.digest('hex') !== tail.toString('hex'))
        throw new StepFailure('the snapshot of etcd has another checksum than it says', 'Resume: it is taken once more.');
    } catch (e) {
      await m.query('delete from etcd_backup where id = $1', [id]);
      throw e;
    }
    await ctx.db.transaction(async (t) => {
      await t.query('update etcd_backup set bytes = $2, sha256 = $3, kept = true where id = $1', [
        id,
        bytes,
        whole.digest('hex'),
      ]);
      await t.query(
        'delete from etcd_backup where charter = $1 and id not in (select id from etcd_backup where charter = $1 and kept order by id desc limit $2)',
        [build.charter, kept],
      );
    });
    return `${bytesText(bytes)} of ${at.host}, whole by its own checksum`;
  });
