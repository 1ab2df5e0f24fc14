import { readFileSync } from 'node:fs';
import { eventually } from '../apps/server/test/installation.ts';
import { roomsCanBeHad } from '../apps/server/test/rooms.ts';
import { TwoWorkers } from '../apps/server/test/two-workers.ts';
import { median, row } from './measure.ts';

const times = 10;

/** How soon another worker goes on with what a dead one was at: a killed process, and a machine that is off its network. */
export async function servers(): Promise<void> {
  if (!roomsCanBeHad) return void process.stdout.write('No network namespaces can be had here: no worker dies.\n');
  const w = await new TwoWorkers().open();
  const at: ['first' | 'second', 'first' | 'second'] = ['first', 'second'];
  /** From the end of who has the job to when the other says that it has it, in milliseconds. */
  const goesOn = async (end: (name: string) => number | Promise<number>) => {
    const [here, there] = at;
    const ended = await end(here);
    const taken = await eventually(async () => {
      const t = w.when(there, 'taken');
      return t && t > ended ? t : undefined;
    }, 'the job goes on');
    at.reverse();
    return taken - ended;
  };
  try {
    await w.begin('first', true);
    await eventually(async () => w.when('first', 'taken'), 'the job is taken up');
    await w.begin('second');
    const killed: number[] = [];
    for (let n = 0; n < times; n++) {
      const [here] = at;
      killed.push(await goesOn((name) => w.kill(name)));
      await w.begin(here);
    }
    const worst = Math.max(...killed);
    row(
      `What a killed worker was at goes on at another, ${times} times`,
      `at worst after ${(worst / 1000).toFixed(1)} s, median ${(median(killed) / 1000).toFixed(1)} s`,
      '≤ 3 s',
      worst <= 3000,
    );
    const cut: number[] = [];
    for (let n = 0; n < times / 2; n++) {
      const [here] = at;
      cut.push(await goesOn((name) => w.cut(name)));
      w.plug(here);
      await w.kill(here);
      await w.begin(here);
    }
    const slowest = Math.max(...cut);
    const system = Number(readFileSync('/proc/sys/net/ipv4/tcp_keepalive_time', 'utf8'));
    row(
      `What a worker was at whose machine lost its network, ${cut.length} times`,
      `at worst after ${(slowest / 1000).toFixed(1)} s, median ${(median(cut) / 1000).toFixed(1)} s; by the system’s own settings it would be held for ${system} s and more`,
      '≤ 6 s',
      slowest <= 6000,
    );
  } finally {
    w.close();
  }
}
