import type { SitesPreview } from '@praesidor/contract';
import { docsOf, keyOf, kinds, type Template } from '@praesidor/core/model';
import { Installation } from '../apps/server/test/installation.ts';
import { largeEstate } from '../demo/large/estate.ts';
import { row } from './measure.ts';

/** Two hundred sites of three hosts from one table, with what is known of each host: beside the demonstration, and beside 10,000 hosts at 300 sites. */
export async function newSites() {
  await into('the demonstration', []);
  await into('10,000 hosts at 300 sites', largeEstate({ hosts: 10_000, sites: 300 }));

  async function into(what: string, more: ReturnType<typeof largeEstate>) {
    const i = await new Installation().start();
    try {
      const c = await i.as('warden');
      const there = new Set(docsOf(await c.estate()).map((d) => `${d.kind} ${keyOf(d)}`));
      const fresh = more.filter((d) => !there.has(`${d.kind} ${keyOf(d)}`));
      for (let at = 0; at < fresh.length; at += 5000) await i.declare(fresh.slice(at, at + 5000));
      // The ranges of the ships' template hold four clusters: here they hold as many as there are sites.
      const template = (await c.estate()).templates.find((t) => t.name === 'ship-edge') as Template;
      const wide = (q: Template['questions'][number]) =>
        q.follows?.rule === 'free-prefix'
          ? {
              ...q,
              follows: {
                ...q.follows,
                ...(q.key === 'pods' ? { within: '172.16.0.0/12', length: 21 } : { within: '192.168.0.0/16', length: 24 }),
              },
            }
          : q;
      const doc = kinds.Template.parse({ ...template, questions: template.questions.map(wide) });
      await c.good('POST', '/api/edits', { why: 'room', edits: [{ op: 'put', doc }] });
      const lines = Array.from({ length: 600 }, (_, n) => {
        const [ship, host] = [Math.floor(n / 3), (n % 3) + 1];
        const hex = (v: number) => v.toString(16).padStart(2, '0');
        return `v${ship},MV Vessel ${ship},3,v${ship}-${host},HW5${n},52:8a:1d:${hex(ship)}:${hex(host)}:01,32,8,240 960`;
      });
      const body = {
        like: 'ptl',
        within: '10.128.0.0/9',
        text: ['site,title,control-plane,host,serial,macs,memory,cores,disks', ...lines].join('\n'),
      };
      const time = async <T>(act: () => Promise<T>): Promise<[T, number]> => {
        const began = performance.now();
        const done = await act();
        return [done, performance.now() - began];
      };
      const [seen, looked] = await time(() => c.good<SitesPreview>('POST', '/api/sites/preview', body));
      const [made, took] = await time(() => c.good<{ sites: number; documents: number }>('POST', '/api/sites/import', body));
      row(
        `200 sites × 3 hosts from a table, beside ${what}: ${made.documents} documents`,
        `looked at ${Math.round(looked)} ms, made ${Math.round(took)} ms`,
        '≤ 20000 ms',
        took <= 20_000 && looked <= 20_000 && made.sites === 200 && seen.counts.wrong === 0,
      );
    } finally {
      await i.stop();
    }
  }
}
