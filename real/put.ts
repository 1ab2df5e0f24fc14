import { runningFiles } from '@praesidor/core/files';
import { anywhere, Exits } from '@praesidor/protocols/dial';
import { runOver } from '@praesidor/protocols/ssh';
import { kitOf } from '../apps/server/src/areas/builds/kit-of-build.ts';
import { accountOn, putArchive } from '../apps/server/src/areas/builds/steps/files.ts';
import { findBuild } from '../apps/server/src/areas/builds/rows.ts';
import { loadEstate } from '../apps/server/src/estate/load.ts';
import type { Installation } from '../apps/server/test/installation.ts';

/** A file that only a later change gives to a host. */
const probe = '/etc/praesidor/probe';

/**
 * Puts the files of a later change on a machine that runs and has joined, as the product does it: with a further one among them, and as another installation, which the
 * machine must know itself by when it starts again. @returns how it ended, and what was said
 */
export async function putOn(i: Installation, charter: string, host: string): Promise<{ code: number | undefined; said: string }> {
  const { ctx } = i.running;
  const [first] = await i.query<{ id: number }>('select id from build where charter = $1 and number = 1', [charter]);
  const row = first && (await findBuild(ctx.db.manager, first.id));
  if (!row) throw new Error(`${charter} has no build`);
  const { estate } = await loadEstate(ctx.db);
  const kit = await kitOf(ctx, row, estate);
  const node = kit.plan.nodes.find((n) => n.host === host);
  if (!node) throw new Error(`the plan has no host ${host}`);
  const later = { ...kit, installation: 'build 99', laidOutBy: () => kit.installation };
  const { root, seed } = runningFiles(later, host);
  root.push({ path: probe, mode: '0644', content: 'put\n', from: [], secret: false });
  const data = seed['user-data'];
  // Its files come last in user-data.
  if (data) seed['user-data'] = `${data}  - path: ${probe}\n    permissions: "0644"\n    content: put\n`;
  const { bytes } = await putArchive({ root, seed }, later.installation);
  const lines: string[] = [];
  // An emulated machine takes its time for each log-in.
  const at = { ...accountOn(ctx, kit, node), exits: new Exits([], anywhere), patienceMs: 120_000 };
  const { code, errors } = await runOver(at, 'put', bytes, { line: (l) => lines.push(l), silentMs: 300_000 });
  return { code, said: `${lines.join('\n')}\n${errors}` };
}
