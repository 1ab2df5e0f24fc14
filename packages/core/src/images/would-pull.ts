import { graphOf } from '../reach/graph.ts';
import { someoneIn } from '../reach/someone.ts';
import { trace } from '../reach/trace.ts';
import { billsOf } from '../model/bills.ts';
import { z } from 'zod';
import { holds, parseIp, parsePrefix, prefixRange } from '../address/index.ts';
import type { Bill } from '../model/observed.ts';
import type { Charter, Registry } from '../model/documents.ts';
import type { Estate } from '../model/estate.ts';
import { heldBy } from './bill.ts';
import { bytesText } from '../words/amounts.ts';
import { certificateFault } from './certificate.ts';
import { mirrorRules, whereFrom } from './mirror.ts';

/** One thing that must be so for a pull to work; `good` undefined: it is not known yet, and can be measured. */
export const PullStep = z.strictObject({
  what: z.enum(['rule', 'name', 'path', 'certificate', 'trust', 'credentials', 'content']),
  text: z.string(),
  good: z.boolean().optional(),
});
export type PullStep = z.infer<typeof PullStep>;
export const WouldPull = z.strictObject({
  host: z.string(),
  charter: z.string().optional(),
  endpoint: z.string(),
  repository: z.string(),
  reference: z.string(),
  steps: z.array(PullStep),
  /** Whether it would work: false as soon as one step is, undefined while one is not known. */
  works: z.boolean().optional(),
});
export type WouldPull = z.infer<typeof WouldPull>;

/**
 * Where a host would pull an image from, and whether it would work, from the plan and what was last seen: the rule,
 * the name, the way there, the certificate, who trusts it, the credentials, the content. @throws Error for no image name
 */
export function wouldPull(estate: Estate, hostName: string, image: string, charterName?: string): WouldPull {
  const host = estate.hosts.find((h) => h.name === hostName);
  const charter = estate.charters.find((c) => c.name === (host?.held?.charter ?? charterName));
  const mirror = estate.registries.find((r) => r.name === charter?.mirror);
  const bills = (charter ? billsOf(charter) : []).flatMap((n) => estate.observed.bills[n] ?? []);
  const from = whereFrom(image, mirror ? mirrorRules(bills, mirror) : []);
  const steps: PullStep[] = [];
  const say = (what: PullStep['what'], good: boolean | undefined, text: string) => steps.push({ what, good, text });
  if (!charter)
    say('rule', false, `${hostName} is held for no charter: it has no mirror rules, and would ask ${from.endpoint} itself`);
  else if (!from.rule)
    say('rule', false, `no rule of ${charter.name} begins this name: the runtime would ask ${from.endpoint} itself`);
  else say('rule', true, `longest rule ${from.rule.source} → ${from.rule.mirror}`);
  if (charter && mirror && from.rule)
    follow(estate, { name: hostName || `a host of ${charter.name}`, charter }, mirror, bills, from, say);
  const bad = steps.some((s) => s.good === false);
  return {
    host: hostName,
    charter: charter?.name,
    endpoint: from.endpoint,
    repository: from.repository,
    reference: from.reference,
    steps,
    works: bad ? false : steps.some((s) => s.good === undefined) ? undefined : true,
  };
}

/** Who asks: a host of a charter, or any of them where it holds none yet. */
interface Asking {
  name: string;
  charter: Charter;
}
/** The registry that answers. */
type Answering = Registry;
type Say = (what: PullStep['what'], good: boolean | undefined, text: string) => void;

function follow(
  estate: Estate,
  host: Asking,
  mirror: Answering,
  bills: readonly Bill[],
  from: ReturnType<typeof whereFrom>,
  say: Say,
) {
  const name = mirror.endpoint.split(':')[0] ?? '';
  const kept = estate.reservations.find((r) => r.name === name);
  say(
    'name',
    kept ? true : undefined,
    kept ? `${name} is ${kept.address}` : `${name} is in no ledger here; a resolver must know it`,
  );
  if (kept) path(estate, host, kept.address, say);
  const seen = estate.observed.registries[mirror.name];
  const c = seen?.certificate;
  if (!c) say('certificate', undefined, `the certificate of ${mirror.endpoint} was not seen yet`);
  else {
    const fault = certificateFault(c, mirror, estate.now)?.what;
    const names = fault !== 'name';
    const over = fault === 'dates';
    say(
      'certificate',
      names && !over,
      !names
        ? `its certificate is for ${c.names.join(', ') || c.subject}, not for ${name}`
        : over
          ? `its certificate ended on ${c.notAfter.slice(0, 10)}`
          : `its certificate names it, until ${c.notAfter.slice(0, 10)}`,
    );
  }
  say(
    'trust',
    !mirror.ca ? false : c ? c.trusted : undefined,
    !mirror.ca
      ? `no certificate authority is declared for ${mirror.name}: ${host.name} is given none, and trusts nobody`
      : c && !c.trusted
        ? `${host.name} is given other anchors than the one that signed it (${c.issuer})`
        : `${host.name} is given the anchor of ${c?.issuer ?? mirror.name}`,
  );
  const key = mirror.credential && estate.keys.find((k) => k.name === mirror.credential);
  say(
    'credentials',
    mirror.credential ? key !== undefined : true,
    !mirror.credential
      ? 'everybody may read there'
      : key
        ? `credentials ${mirror.credential} from the keyring`
        : `credentials ${mirror.credential}, which the keyring does not have`,
  );
  const held = heldBy(seen, mirror);
  const ref = bills
    .flatMap((b) => b.images.map((i) => ({ i, b })))
    .find(
      ({ i }) =>
        whereFrom(i.ref, from.rule ? [from.rule] : []).repository === from.repository &&
        (i.ref.endsWith(`:${from.reference}`) || i.digest === from.reference),
    );
  const digest = ref?.i.digest ?? seen?.names?.find((n) => n.startsWith(`${from.repository}:${from.reference}@`))?.split('@')[1];
  if (!seen) say('content', undefined, `what ${mirror.name} holds was not looked at yet`);
  else if (!digest)
    say(
      'content',
      false,
      `${from.repository}:${from.reference} is in no bill of this charter, and ${mirror.name} names nothing like it`,
    );
  else {
    const lack = ref ? [...ref.i.manifests, ...ref.i.blobs].filter((d) => !held.has(d)).length : held.has(digest) ? 0 : 1;
    const size = ref ? ref.i.blobs.reduce((n, d) => n + (ref.b.blobs[d]?.declaredBytes ?? 0), 0) : 0;
    say(
      'content',
      lack === 0,
      lack
        ? `${lack} of its layers and manifests are not there`
        : `${digest.slice(0, 15)}…${digest.slice(-4)} is there${size ? `, ${bytesText(size)}` : ''}`,
    );
  }
}

/** Whether the host's machine network gets to an address: it lies in it, or in one that it routes to. */
function path(estate: Estate, host: Asking, address: string, say: Say) {
  const own = estate.networks.find((n) => n.name === host.charter.machineNetwork);
  if (!own) return;
  const ip = parseIp(address);
  const at = estate.networks
    .filter((n) => holds(prefixRange(parsePrefix(n.prefix)), ip))
    .sort((a, b) => parsePrefix(b.prefix).length - parsePrefix(a.prefix).length)[0];
  if (!at) return say('path', undefined, `${address} lies in no network of the estate`);
  if (at.name === own.name) return say('path', true, `${address} lies in ${own.name}, as ${host.name} does`);
  const reach = graphOf(estate);
  const end = (label: string, n: typeof own, to: string) => ({ label, address: to, network: n.name });
  const from = someoneIn(reach, own);
  const t = trace(reach, from, end(address, at, address), { bytes: 1, protocol: 'tcp' });
  const stop = t.forward.stop ?? t.back.stop;
  say(
    'path',
    t.works ? true : stop?.sort === 'unknown' ? undefined : false,
    t.works
      ? `${own.name} routes to ${at.name} over ${own.gateway}`
      : `${own.name} ${t.forward.stop ? 'does not reach' : 'gets no answer from'} ${at.name}, where ${address} lies: it stops at ${stop?.at}, ${stop?.why}`,
  );
}
