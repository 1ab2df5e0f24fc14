import { backupRun } from '../areas/backups/run.ts';
import { changeRun } from '../areas/builds/change-run.ts';
import { setupRun } from '../areas/gateways/setup-run.ts';
import { workRun } from '../areas/hosts/work.ts';
import { shipmentRun } from '../areas/images/shipments.ts';
import { lossRun } from '../areas/losses/run.ts';
import { rolloutRun } from '../areas/rollouts/run.ts';
import { powerRun } from '../areas/site-power/run.ts';

/** One kind of long work an area; a new kind is a line. */
export const runKinds = new Map(
  [changeRun, workRun, shipmentRun, setupRun, backupRun, lossRun, powerRun, rolloutRun].map((k) => [k.kind, k]),
);
