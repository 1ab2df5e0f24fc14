import type { ChangePlan } from '@praesidor/core/changes';
import { type Change, type Host, keyOf } from '@praesidor/core/model';
import { type KubeAt, kube } from '@praesidor/protocols/kube';
import { parse } from 'yaml';
import { expect } from 'vitest';
import { writeChanges } from '../src/estate/documents.ts';
import { builtOrBroken, type Client, eventually, type Installation } from './installation.ts';

/** The cluster plover of a running installation: its charter, what is due for it, and its API. */
export class Plover {
  constructor(
    private readonly i: Installation,
    private readonly c: Client,
  ) {}

  set = (why: string, ...fields: [path: (string | number)[], value: unknown][]) =>
    this.c.good('POST', '/api/edits', {
      why,
      edits: fields.map(([path, value]) => ({ op: 'set', kind: 'Charter', key: 'plover', path, value })),
    });
  due = async () => (await this.c.good<{ due: ChangePlan | null }>('GET', '/api/charters/plover/change')).due;
  begin = (kind: string) => this.c.call<{ number: number }>('POST', '/api/builds', { charter: 'plover', kind });
  serving = async (): Promise<Host[]> =>
    (await this.c.estate()).hosts.filter((h) => h.held?.charter === 'plover' && h.state === 'serving');
  /** A change that must end well. */
  done = async (number: number) => {
    const b = await builtOrBroken(this.c, number);
    expect(b.status.state, JSON.stringify(Object.entries(b.status.steps).filter(([, s]) => s.state === 'failed'))).toBe('done');
    return b;
  };

  /** Hosts that rest are wiped, and free again. @returns their names */
  wipeResting = async (): Promise<string[]> => {
    const hosts = (await this.c.estate()).hosts.filter((h) => h.state === 'resting').map((h) => h.name);
    if (!hosts.length) return [];
    const { work } = await this.c.good<{ work?: { id: number } }>('POST', '/api/hosts/works', { kind: 'wipe', hosts, asked: {} });
    await eventually(async () => {
      const { works } = await this.c.good<{ works: { id: number; state: string }[] }>('GET', '/api/hosts/works');
      return works.find((w) => w.id === work?.id)?.state === 'done';
    }, 'they are wiped');
    return hosts;
  };

  /** Its API, as whoever has its kubeconfig reaches it. */
  async kubeconfig(): Promise<KubeAt> {
    const r = await fetch(`${this.i.config.publicUrl}/api/charters/plover/kubeconfig?role=administrator`, {
      headers: { cookie: this.c.cookie },
    });
    const said = await r.text();
    if (!r.ok) throw new Error(`kubeconfig: ${said}`);
    const k = parse(said);
    const text = (data: string) => Buffer.from(data, 'base64').toString();
    const { user } = k.users[0];
    const server = new URL(k.clusters[0].cluster.server);
    return {
      dialer: this.i.running.ctx.dialer,
      host: server.hostname,
      address: '10.62.8.20',
      port: Number(server.port),
      ca: text(k.clusters[0].cluster['certificate-authority-data']),
      certificate: text(user['client-certificate-data']),
      key: text(user['client-key-data']),
    };
  }
  /**
   * Nothing here knows of it any more, and it runs on: its hosts are free, its addresses are nobody's, and no secret of it is kept.
   *
   * @returns the kubeconfig of an administrator that was taken before, and its hosts
   */
  async forgotten(): Promise<{ kubeconfig: string; hosts: string[] }> {
    const r = await fetch(`${this.i.config.publicUrl}/api/charters/plover/kubeconfig?role=administrator`, {
      headers: { cookie: this.c.cookie },
    });
    const kubeconfig = await r.text();
    const e = await this.c.estate();
    const changes = [
      ...e.hosts.flatMap(({ held, ...h }): Change[] =>
        held?.charter === 'plover'
          ? [{ kind: 'Host', key: h.name, before: { ...h, held }, after: { ...h, state: 'fit' as const } }]
          : [],
      ),
      ...e.reservations.flatMap((r): Change[] =>
        r.owner.name === 'plover' ? [{ kind: 'Reservation', key: keyOf(r), before: r, after: null }] : [],
      ),
      ...e.charters.flatMap((x): Change[] =>
        x.name === 'plover' ? [{ kind: 'Charter', key: x.name, before: x, after: null }] : [],
      ),
    ];
    await this.i.running.ctx.db.transaction((m) => writeChanges(m, changes, 'nobody', ''));
    await this.i.query("delete from cluster_secret where charter = 'plover'");
    return { kubeconfig, hosts: changes.flatMap((x) => (x.kind === 'Host' ? [x.key] : [])).sort() };
  }
  ask = async <T>(path: string, options: Parameters<typeof kube>[2] = {}, at?: KubeAt) =>
    kube<T>(at ?? (await this.kubeconfig()), path, options);
  give = (path: string, body: object) => this.ask(path, { method: 'PATCH', contentType: 'application/apply-patch+yaml', body });
}
