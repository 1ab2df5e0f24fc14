import { X509Certificate } from 'node:crypto';
import { accountKey, hostKey, type PlannedNode, publicHalf, serverAccount } from '@praesidor/core/charter';
import { type KitContext, runningFiles } from '@praesidor/core/files';
import { counted } from '@praesidor/core/words';
import { fingerprintOf, ProtocolError } from '@praesidor/protocols/dial';
import { isReady, type KubeAt, type KubeNode, kube } from '@praesidor/protocols/kube';
import { runOver, type SshAt } from '@praesidor/protocols/ssh';
import { etcdMembers } from '@praesidor/protocols/etcd';
import type { Context } from '../../../context.ts';
import { tarOf } from '../../../tar-of.ts';
import { installationOf } from '../kit-of-build.ts';
import { type StepContext, StepFailure, type StepRunner } from '../step.ts';
import { keepsQuorum } from './quorum-kept.ts';

/** How often a host that does not answer is asked. */
const mostTries = 3;

/**
 * Puts the files of this change on a host that runs, over SSH, and waits until what reads them is well with them: the API server and the member of etcd of
 * its own, where it has them, and its kubelet, which tells the API that it is there. The host is not started anew, and nobody is drained.
 */
export const files: StepRunner = {
  kind: 'files',
  run: async (s) => {
    const { node } = s;
    if (!node) throw new StepFailure(`the plan has no host ${s.step.host}`, 'Begin the change anew.');
    const member = node.role === 'control-plane';
    // Of a member etcd is started anew: the others must have a majority meanwhile.
    if (member) await keepsQuorum(s, node.host);
    await put(s, node);
    return wellWith(s, node, member);
  },
};

/** Waits until what reads the files is well with them, and shows the certificates that came with them. */
async function wellWith(s: StepContext, node: PlannedNode, member: boolean): Promise<string> {
  const { host } = node;
  const api = () => (member ? s.kube(node) : s.kube());
  let why = '';
  // A kubelet says every ten seconds that it is there: once more after it was started anew.
  let told = await renewed(api(), host).catch(() => undefined);
  return s.until(
    async () => {
      try {
        why = await othersShown(s, node, member);
        if (why) return undefined;
        if (member) await etcdMembers(s.etcd(node));
        const seen = await kube<KubeNode>(api(), `/api/v1/nodes/${host}`);
        const now = await renewed(api(), host);
        told ??= now;
        if (!seen) why = `the API does not know ${host}`;
        else if (!isReady(seen)) why = `${host} is not ready`;
        else if (now === told) why = `the kubelet of ${host} has told the API nothing since`;
        else return `${host} is ready with them, and was not started anew`;
        return undefined;
      } catch (e) {
        if (!(e instanceof ProtocolError)) throw e;
        why = e.message;
        return undefined;
      }
    },
    () => `files were put on ${host}, and it is not well with them: ${why}`,
  );
}
/** When a kubelet has told the API last that it is there (Lease, RFC 3339). */
async function renewed(api: KubeAt, host: string): Promise<string | undefined> {
  const path = `/apis/coordination.k8s.io/v1/namespaces/kube-node-lease/leases/${host}`;
  return (await kube<{ spec?: { renewTime?: string } }>(api, path))?.spec?.renewTime;
}

/** Which program of a host shows another certificate than the one that was put there; empty: none does. A port that this server cannot reach tells nothing. */
async function othersShown(s: StepContext, node: PlannedNode, member: boolean): Promise<string> {
  const shown: [program: string, port: number, secret: string][] = [
    ['kubelet', 10250, `kubelet-${node.host}.crt`],
    ...(member
      ? ([
          ['API server', s.plan.api.port, 'apiserver.crt'],
          ['etcd', 2379, `etcd-${node.host}.crt`],
        ] as [string, number, string][])
      : []),
  ];
  for (const [program, port, secret] of shown) {
    const seen = await s.ctx.dialer.certificate({ purpose: 'cluster', host: node.address, port }).catch((e: unknown) => {
      if (e instanceof ProtocolError && program === 'kubelet' && e.fault === 'silent') return undefined;
      throw e;
    });
    if (seen && seen.fingerprint !== fingerprintOf(new X509Certificate(s.kit.secret(secret)).raw))
      return `its ${program} shows another certificate than the one that was put there`;
  }
  return '';
}

/** What the program on a host reads: its files below `root`, what it starts from below `seed`, which change they are of, and their checksums; a tar. */
export async function putArchive(
  { root, seed }: ReturnType<typeof runningFiles>,
  installation: string,
): Promise<{ bytes: Buffer; count: number }> {
  const all = [
    { name: 'installation', content: `${installation}\n`, mode: '0644' },
    ...root.map((f) => ({ name: `root${f.path}`, content: f.content, mode: f.mode })),
    ...Object.entries(seed).map(([name, content]) => ({ name: `seed/${name}`, content, mode: '0600' })),
  ];
  const bytes = await tarOf(all);
  return { bytes, count: root.length + Object.keys(seed).length };
}

/** How the server enters a host. */
export const accountOn = (ctx: Context, kit: KitContext, { host, address }: { host: string; address: string }): SshAt => ({
  exits: ctx.dialer.exits,
  host,
  address,
  user: serverAccount,
  key: kit.secret(accountKey),
  hostKey: kit.secret(publicHalf(hostKey(host))),
  // No longer than a step waits for a sign of life.
  patienceMs: Math.min(8000, ctx.config.timeoutSeconds * 1000),
});

/** What a program on a machine ends with while another of it runs (sysexits.h, EX_TEMPFAIL). */
export const busy = 75;
/** Sends them. One that does not answer is asked again; what it says is the log. */
async function put(s: StepContext, node: PlannedNode): Promise<void> {
  const { host } = node;
  const { bytes, count } = await putArchive(runningFiles(s.kit, host), installationOf(s.build));
  await s.log(`${counted(count, 'file')} for ${host}, over SSH`);
  const at = accountOn(s.ctx, s.kit, node);
  const end = Date.now() + s.ctx.config.timeoutSeconds * 1000;
  let waited = false;
  for (let tried = 1; ; tried++) {
    const lines: string[] = [];
    const ended = await runOver(at, 'put', bytes, { line: (l) => lines.push(l), signal: s.signal }).catch((e: unknown) => {
      if (!(e instanceof ProtocolError) || e.fault === 'cancelled') throw e;
      return e;
    });
    for (const l of lines) await s.log(l);
    // What it was sent before by a server that has gone since, it puts to the end.
    if (!(ended instanceof ProtocolError) && ended.code === busy && Date.now() < end) {
      if (!waited) await s.log(`${host}: ${ended.errors}; waits for it`, 'warn');
      waited = true;
      tried--;
      await s.ctx.bus.next(() => false, 500, s.signal);
      s.signal.throwIfAborted();
      continue;
    }
    if (ended instanceof ProtocolError) {
      await s.log(ended.message, 'warn');
      if (tried >= mostTries || !['silent', 'refused', 'cut'].includes(ended.fault))
        throw new StepFailure(ended.message, remedyOf(ended));
      await s.ctx.bus.next(() => false, 1000 * tried, s.signal);
      continue;
    }
    if (ended.code === 0) return;
    throw new StepFailure(
      `${host} did not take them: ${ended.errors || `praesidor-put ended with ${ended.code ?? 'a signal'}`}`,
      'Mend what it says there, then retry: files that lie there already are left as they are.',
    );
  }
}

const remedyOf = ({ fault }: ProtocolError): string =>
  fault === 'credentials'
    ? 'Its account or its key was changed by hand: start this host anew from its kit (Apply changes), then retry.'
    : fault === 'pin'
      ? 'See which machine has this address, and what became of the keys in /etc/ssh there, then retry.'
      : 'Open TCP port 22 from this server to the host, then retry; or say under Certificates that new ones come by starting hosts anew, stop this change and begin another.';
