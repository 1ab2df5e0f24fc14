import { X509Certificate } from 'node:crypto';
import { readEnvironment } from '../environment.ts';
import type { Installed } from '../node.ts';
import { parseYaml } from '../parse-once.ts';
import type { KubeObject } from './kinds.ts';

/** The installation that a machine is of, where it begins a new etcd; undefined: it joins one, or has none. */
export function begins(kit: Installed): string | undefined {
  const pod = kit.files['/etc/kubernetes/manifests/etcd.yaml'] ?? '';
  return pod.includes('--initial-cluster-state=new')
    ? readEnvironment(kit.files['/etc/praesidor/boot.env'] ?? '').BOOT
    : undefined;
}

/** What of a list was asked for, by labels or by fields. */
export function selected(items: KubeObject[], params: URLSearchParams): KubeObject[] {
  const pairs = (key: string) =>
    (params.get(key) ?? '')
      .split(',')
      .filter(Boolean)
      .map((p) => p.split(/==?/) as [string, string]);
  const at = (o: KubeObject, path: string) =>
    path.split('.').reduce<unknown>((v, k) => (v as Record<string, unknown> | undefined)?.[k], o);
  return items.filter(
    (o) =>
      pairs('labelSelector').every(([k, v]) => o.metadata.labels?.[k] === v) &&
      pairs('fieldSelector').every(([k, v]) => at(o, k) === v),
  );
}

/** A flag of the API server, or of another program of the control plane, by its static pod. */
export function flagOf(files: Record<string, string>, name: string, program = 'kube-apiserver'): string | undefined {
  const pod = parseYaml(files[`/etc/kubernetes/manifests/${program}.yaml`] ?? '{}') as {
    spec?: { containers?: { command?: string[] }[] };
  };
  return pod.spec?.containers?.[0]?.command?.find((c) => c.startsWith(`--${name}=`))?.slice(name.length + 3);
}

/** The port that an API server with these files listens at. */
export const apiPort = (files: Record<string, string>) => flagOf(files, 'secure-port') ?? '6443';
/** Address and port at which a load balancer takes what is for others than itself. */
export const apiFrontend = (text: string) =>
  [...text.matchAll(/^\s*bind ([0-9.]+):(\d+)$/gm)].find(([, address]) => !address?.startsWith('127.'));

/** Why an API server with these files does not come up; undefined: it does. */
export function whyNoApi(files: Record<string, string>): string | undefined {
  const asked = new URL(flagOf(files, 'etcd-servers') ?? 'https://127.0.0.1:2379').hostname;
  const shown = files['/etc/kubernetes/pki/etcd/server.crt'];
  if (!shown || !new X509Certificate(shown).checkIP(asked)) return `etcd's certificate is not for ${asked}`;
  const port = apiPort(files);
  const balanced = new RegExp(`^\\s*bind \\S+:${port}$`, 'm').test(files['/etc/haproxy/haproxy.cfg'] ?? '');
  return balanced && ['0.0.0.0', '::', undefined].includes(flagOf(files, 'bind-address'))
    ? `the load balancer has port ${port} of every address already`
    : undefined;
}

/** The version of a program, by the tag of its image among those that a node holds. */
export const versionOf = (files: Record<string, string>, program: string): string =>
  `v${new RegExp(`/${program}:(\\S+)$`, 'm').exec(files['/etc/praesidor/images.list'] ?? '')?.[1] ?? '0.0.0'}`;
