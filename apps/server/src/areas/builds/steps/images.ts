import { counted } from '@praesidor/core/words';
import { imagesOf } from '@praesidor/core/files';
import { powered } from '../../hosts/machine.ts';
import { StepFailure, type StepRunner } from '../step.ts';

/** Follows the host while it pulls its images through the mirror. On a second try the host is started again where it stood. */
export const images: StepRunner = {
  kind: 'images',
  run: async ({ ctx, node, kit, build, retry, estate, log, progress, healed, until, reports, signal }) => {
    if (!node) throw new StepFailure('no host');
    const host = estate.hosts.find((h) => h.name === node.host);
    const of = imagesOf(kit, node).length;
    const got = new Set<string>();
    const troubled = new Map<string, string>();
    const machine = host && (await powered(ctx, host, signal));
    if (retry)
      for (const r of (await ctx.db.manager.query(
        "select distinct data->>'text' as text from build_report where build = $1 and host = $2 and data->>'name' = 'images' and data->>'event' = 'progress' and data->>'result' = 'SUCCESS'",
        [build.id, node.host],
      )) as { text: string }[])
        got.add(r.text);
    if (retry && machine) {
      await log('started again from its disk, to go on where it stood');
      await machine.restart();
    }
    let asked = Date.now();
    return until(
      async () => {
        for (const r of await reports()) {
          if (r.name === 'gate') return `${counted(of, 'image')}; it waits at its gate`;
          if (r.name === 'programs' && r.result === 'FAIL')
            throw new StepFailure(
              `${node.host}: ${r.text}`,
              'Make a system that has it, ship it, and build anew: the release names what machines boot.',
            );
          if (r.name !== 'images') continue;
          if (r.result === 'WARN') {
            troubled.set(r.text.split(': ')[0] ?? '', r.text);
            await log(r.text, 'warn');
          }
          if (r.result === 'FAIL')
            throw new StepFailure(
              `${node.host} cannot pull ${r.text}`,
              'Mend the registry, or ship what it lacks, then resume: what the host holds is not pulled again.',
            );
          if (r.event === 'progress' && r.result === 'SUCCESS') {
            const image = r.text;
            if (troubled.delete(image)) await healed(`${image} was pulled after a failed try`);
            got.add(image);
            await log(`pulled ${image}`);
            await progress(got.size, of, `${got.size} of ${of}`);
          }
          if (r.event === 'finish' && r.result === 'SUCCESS') return counted(of, 'image');
        }
        if (machine && Date.now() - asked > 2000) {
          asked = Date.now();
          if (!(await machine.on().catch(() => true)))
            throw new StepFailure(
              `${node.host} lost power after ${got.size} of ${of} images`,
              'Resume: the host is started again and goes on with the images it lacks.',
            );
        }
        return undefined;
      },
      () => `${node.host} has not reported an image for a long time, ${got.size} of ${of} are there`,
    );
  },
};
