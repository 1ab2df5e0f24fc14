import { ProtocolError } from '@praesidor/protocols/dial';
import { cast as castGuest, guestOf } from '../../hosts/hypervisors.ts';
import { castFailure } from '../../hosts/work/cast.ts';
import { StepFailure, type StepRunner } from '../step.ts';

/** Casts a guest on its hypervisor, with the place of its first-boot data in it. One that stands has its system made anew; its further volumes stay. */
export const cast: StepRunner = {
  kind: 'cast',
  run: async ({ ctx, build, node, kit, log, progress, signal }) => {
    if (!node) throw new StepFailure('the plan has no such host');
    const g = await guestOf(ctx, node.host, signal);
    try {
      await castGuest(
        g,
        `${kit.bootUrl(node.host)}/`,
        async (text, done) => {
          await log(text);
          await progress(done, g.mould.disks.length + 1, text);
        },
        build.moves.stands.includes(node.host),
      );
    } catch (e) {
      if (!(e instanceof ProtocolError)) throw e;
      const f = castFailure(node.host, g.on.name, e);
      throw new StepFailure(f.message, f.remedy);
    }
    return `on ${g.on.name}`;
  },
};
