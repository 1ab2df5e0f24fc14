import type { Backups } from '@praesidor/contract';
import type { Plan } from '@praesidor/core/charter';
import { existsSync, readFileSync } from 'node:fs';
import { join } from 'node:path';
import { apply, kube, type KubeObject, running } from '@praesidor/protocols/kube';
import { writeOn } from '../../../packages/standins/src/folders.ts';
import { kubeOf } from '../src/areas/builds/kube-of.ts';
import { kitOf } from '../src/areas/builds/kit-of-build.ts';
import { estateNow } from '../src/estate/now.ts';
import { standing } from '../src/areas/builds/proofs.ts';
import { builtOrBroken, type Client, eventually, type Installation, shipmentIn } from './installation.ts';

/** Where the volume of `ais-store` lies on its host. */
const folder = '/var/lib/containerd/volumes/scratch';

/** A cluster is given a local class, a workload with a volume, and nightly backups of it. Before it is built. */
export async function declareVolume(c: Client, charter = 'plover', more: Record<string, unknown> = {}): Promise<void> {
  const values = {
    storage: [{ name: 'scratch', kind: 'local', standard: true }],
    workloads: [{ name: 'ais-store', volumes: [{ name: 'data', sizeGB: 1 }] }],
    backups: [{ name: 'nightly', store: 'bw-objects', at: '0 2 * * *', keep: { last: 2 }, trial: '0 5 * * 0' }],
    ...more,
  };
  await c.good('POST', '/api/edits', {
    why: 'a volume',
    edits: Object.entries(values).map(([field, value]) => ({ op: 'set', kind: 'Charter', key: charter, path: [field], value })),
  });
}

/** gannet, of guests in another hall, is built and keeps a standby copy of the workload of plover. @returns its volume */
export async function standbyAtGannet(i: Installation, c: Client): ReturnType<typeof deployVolume> {
  await eventually(async () => {
    const { bills, registries } = (await c.estate()).observed;
    return bills['1.33.6'] && registries['bw-registry'];
  }, 'the bills');
  const { shipment } = await c.good<{ shipment: { label: string } }>('POST', '/api/shipments', {
    target: 'bw-registry',
    bills: ['1.33.6', 'inbound-router'],
  });
  await c.good('POST', `/api/shipments/${shipment.label}/start`);
  await shipmentIn(c, shipment.label, 'landed');
  await declareVolume(c, 'gannet', {
    backups: undefined,
    standbys: [{ workload: 'ais-store', cluster: 'plover', of: 'ais-store', mayLag: 86_400 }],
  });
  await c.good('POST', '/api/builds', { charter: 'gannet' });
  const built = await builtOrBroken(c, 1, 'gannet');
  if (built.status.state !== 'done') throw new Error('gannet was not built');
  return deployVolume(i, 'gannet');
}

/** Somebody deploys the workload. @returns the host on which its volume lies, and what writes a file there */
export async function deployVolume(i: Installation, charter = 'plover', sizeGB = 1) {
  // By the server that runs when it is asked.
  const stands = async () => {
    const { ctx } = i.running;
    const estate = await estateNow(ctx.db);
    const [b] = await standing(ctx, estate, charter);
    if (!b) throw new Error(`${charter} does not stand`);
    return { plan: b.plan as Plan, at: kubeOf(ctx, b.plan as Plan, await kitOf(ctx, b, estate)) };
  };
  const api = async () => (await stands()).at;
  const { at, plan } = await stands();
  // What every host has.
  const image = plan.release?.components.find((x) => x.name === 'pause')?.image;
  const claim = { name: 'ais-store-data', namespace: 'default' };
  await apply(at, {
    apiVersion: 'v1',
    kind: 'PersistentVolumeClaim',
    metadata: claim,
    spec: { accessModes: ['ReadWriteOnce'], resources: { requests: { storage: `${sizeGB}G` } } },
  } as KubeObject);
  await apply(at, {
    apiVersion: 'apps/v1',
    kind: 'Deployment',
    metadata: { name: 'ais-store', namespace: 'default' },
    spec: {
      replicas: 1,
      selector: { matchLabels: { app: 'ais-store' } },
      template: {
        metadata: { labels: { app: 'ais-store' } },
        spec: {
          containers: [{ name: 'ais', image }],
          volumes: [{ name: 'data', persistentVolumeClaim: { claimName: claim.name } }],
        },
      },
    },
  } as KubeObject);
  const path = `/api/v1/namespaces/default/persistentvolumeclaims/${claim.name}`;
  const volume = await eventually(
    async () => (await kube<{ spec: { volumeName?: string } }>(at, path))?.spec.volumeName,
    'the claim to have a volume',
  );
  const host = volume.replace('scratch-', '');
  const machine = (name: string) => i.world.everyMachine().find((m) => m.hardware.name === name);
  const write = (name: string, bytes: Buffer, on = host) => {
    const m = machine(on);
    if (!m?.installed) throw new Error(`${on} runs nothing`);
    writeOn(m, m.installed, folder, name, bytes);
  };
  /** A file of a volume of the class, on any host; undefined: there is none. */
  const read = (name: string, on = host): Buffer | undefined => {
    const m = machine(on);
    const file = m && join(m.around.folders, on, folder, name);
    return file && existsSync(file) ? readFileSync(file) : undefined;
  };
  const pods = async () => (await running(await api(), { kind: 'Deployment', namespace: 'default', name: 'ais-store' }))?.wanted;
  /** On which host the volume of a claim lies; undefined: it has none. */
  const lies = async (name: string) =>
    (
      await kube<{ spec: { volumeName?: string } }>(await api(), `/api/v1/namespaces/default/persistentvolumeclaims/${name}`)
    )?.spec.volumeName?.replace('scratch-', '');
  /** The program of the kit on its host, changed. */
  const spoil = (change: (script: string) => string) => {
    const files = machine(host)?.installed?.files as Record<string, string>;
    files['/usr/local/sbin/praesidor-put'] = change(files['/usr/local/sbin/praesidor-put'] ?? '');
  };
  return { host, write, read, pods, lies, api, spoil };
}

/** Somebody deploys what has a volume of the class `kept`, and nobody declared it. */
export async function deployCopies(i: Installation): Promise<void> {
  const { ctx } = i.running;
  const estate = await estateNow(ctx.db);
  const [b] = await standing(ctx, estate, 'plover');
  if (!b) throw new Error('plover does not stand');
  const plan = b.plan as Plan;
  const at = kubeOf(ctx, plan, await kitOf(ctx, b, estate));
  const named = { name: 'ais-index', namespace: 'default' };
  await apply(at, {
    apiVersion: 'v1',
    kind: 'PersistentVolumeClaim',
    metadata: { ...named, name: 'ais-index-data' },
    spec: { accessModes: ['ReadWriteOnce'], storageClassName: 'kept', resources: { requests: { storage: '10G' } } },
  } as KubeObject);
  await apply(at, {
    apiVersion: 'apps/v1',
    kind: 'Deployment',
    metadata: named,
    spec: {
      replicas: 1,
      selector: { matchLabels: { app: named.name } },
      template: {
        metadata: { labels: { app: named.name } },
        spec: {
          containers: [{ name: 'index', image: plan.release?.components.find((x) => x.name === 'pause')?.image }],
          volumes: [{ name: 'data', persistentVolumeClaim: { claimName: 'ais-index-data' } }],
        },
      },
    },
  } as KubeObject);
  await eventually(async () => (await running(at, { kind: 'Deployment', ...named }))?.ready, 'it runs');
}

export const backupsOf = (c: Client, charter = 'plover') => c.good<Backups>('GET', `/api/charters/${charter}/backups`);

/** A run of backups, when it has come to an end. */
export const backupEnded = (c: Client, id: number, charter = 'plover') =>
  eventually(async () => {
    const { last } = await backupsOf(c, charter);
    return last?.id === id && ['done', 'failed', 'stopped'].includes(last.status.state) && last;
  }, 'the end of the backup');
export const backUp = async (c: Client, charter = 'plover') =>
  backupEnded(c, (await c.good<{ id: number }>('POST', `/api/charters/${charter}/backups`, {})).id, charter);
