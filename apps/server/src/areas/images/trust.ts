import { X509Certificate } from 'node:crypto';
import type { Plan } from '@praesidor/core/charter';
import { renewalDue } from '@praesidor/core/images';
import type { Estate, Registry } from '@praesidor/core/model';
import { ProtocolError } from '@praesidor/protocols/dial';
import { handCertificate } from '@praesidor/protocols/oci';
import { record } from '../../audit.ts';
import type { Context } from '../../context.ts';
import { needDoc, needIn, writeDoc } from '../../estate/documents.ts';
import { loadEstate } from '../../estate/load.ts';
import { tell } from '../../events/bus.ts';
import { Refusal } from '../../refusal.ts';
import { authorityFault, authorityOf, keepAuthority, makeAuthority, noteIssued, serverCertificate } from './authority.ts';
import { judgeCertificate, pems } from './certificates.ts';
import { openRegistry, lookAt } from './registries.ts';
import { dropRequest, newRequest, openRequest, type OpenRequest, pairOf } from './request.ts';

/** A cluster whose hosts stand, and whether they were built with an anchor; undefined: nobody here built them. */
export interface TrustingCluster {
  charter: string;
  hosts: number;
  has: boolean | undefined;
}
export interface TrustView {
  /** The authority whose key is held here. `trusted`: it stands in the registry's trust bundle. */
  authority?: { subject: string; until: string; origin: 'made' | 'imported'; trusted: boolean };
  /** What the trust bundle holds. `needed`: it signed what the registry shows, or is the authority held here. */
  anchors: { subject: string; until: string; needed: boolean }[];
  /** The trust bundle with what is needed alone. */
  tidied: string;
  /** For the authority held here. */
  clusters: TrustingCluster[];
  renews: boolean;
  /** A request that waits for its answer from an authority elsewhere. */
  request?: OpenRequest;
}

const nameOf = (c: X509Certificate) => /CN=(.+)/.exec(c.subject)?.[1] ?? c.subject.replaceAll('\n', ', ');
const dateOf = (text: string) => new Date(text).toISOString();

/** One of ours: what stands at others is not given certificates from here. */
function ownIn(estate: Estate, name: string): Registry {
  const registry = needIn(estate, 'Registry', name);
  if (registry.role === 'source')
    throw new Refusal('invalid', `${name} is a source, which stands elsewhere; whoever runs it renews its certificate.`);
  return registry;
}

/** Who signs for a registry, who trusts whom, and whom another authority would have to reach first. */
export async function trustOf(ctx: Context, name: string): Promise<TrustView> {
  const { estate } = await loadEstate(ctx.db);
  const registry = ownIn(estate, name);
  const own = await authorityOf(ctx.config, ctx.db.manager, name);
  const seen = estate.observed.registries[name];
  const bundle = pems(registry.ca ?? '').map((pem) => ({ pem, cert: new X509Certificate(pem) }));
  const authority = own && new X509Certificate(own.cert);
  // Of what was issued here it is known who signed it; of the rest only by name.
  const ours = own?.issued !== undefined && own.issued === seen?.certificate?.fingerprint;
  const needed = (c: X509Certificate) =>
    c.fingerprint256 === authority?.fingerprint256 || (!ours && (!seen?.certificate || nameOf(c) === seen.certificate.issuer));
  const request = await openRequest(ctx.db.manager, name);
  return {
    ...(request ? { request } : {}),
    ...(own && authority
      ? {
          authority: {
            subject: nameOf(authority),
            until: dateOf(authority.validTo),
            origin: own.origin,
            trusted: bundle.some((b) => b.cert.fingerprint256 === authority.fingerprint256),
          },
        }
      : {}),
    anchors: bundle.map((b) => ({ subject: nameOf(b.cert), until: dateOf(b.cert.validTo), needed: needed(b.cert) })),
    tidied: bundle
      .filter((b) => needed(b.cert))
      .map((b) => `${b.pem}\n`)
      .join(''),
    clusters: await clustersTrusting(ctx, estate, registry, own?.cert),
    renews: seen?.renews !== undefined,
  };
}

/** Clusters with hosts that stand and pull from here; their kits are looked at for the anchor. */
async function clustersTrusting(
  ctx: Context,
  estate: Estate,
  registry: Registry,
  anchor: string | undefined,
): Promise<TrustingCluster[]> {
  const out: TrustingCluster[] = [];
  for (const c of estate.charters.filter((x) => registry.name === x.mirror)) {
    const hosts = estate.hosts.filter((h) => h.held?.charter === c.name && h.state === 'serving').length;
    if (!hosts) continue;
    const [build] = (await ctx.db.manager.query(
      "select b.plan from build b join run r on r.id = b.id where b.charter = $1 and r.state = 'done' order by b.number desc limit 1",
      [c.name],
    )) as { plan: Plan }[];
    const mirror = build?.plan.mirror;
    const has = !anchor || !mirror ? undefined : registry.name === mirror.name && (mirror.ca ?? '').includes(anchor.trim());
    out.push({ charter: c.name, hosts, has });
  }
  return out;
}

/**
 * Makes an authority for a registry, takes one that is brought along, or the one that is held, and puts it into the trust
 * bundle beside what stands there: whoever is built from now on trusts both. Nothing is shown differently yet. Undone, it is out of the bundle again.
 */
export async function setAuthority(
  ctx: Context,
  name: string,
  from: { cert: string; key: string } | 'held' | undefined,
  who: string,
): Promise<{ subject: string; act: number }> {
  const { estate } = await loadEstate(ctx.db);
  const registry = ownIn(estate, name);
  const title = estate.sites.find((s) => s.name === registry.site)?.title ?? name;
  const given = from === 'held' ? undefined : from;
  const fault = given && authorityFault(given, new Date());
  if (fault) throw new Refusal('invalid', `That cannot sign for ${name}: ${fault}.`, { places: [{ message: fault }] });
  return ctx.db.transaction(async (m) => {
    await m.query('select pg_advisory_xact_lock(727004, hashtext($1))', [name]);
    const { doc, version } = await needDoc(m, 'Registry', name);
    const authority = given
      ? { ...given, origin: 'imported' as const }
      : from === 'held'
        ? await authorityOf(ctx.config, m, name)
        : await makeAuthority(ctx.config, m, name, title);
    if (!authority) throw new Refusal('not-now', `No authority has its key here for ${name}.`);
    if (given) await keepAuthority(ctx.config, m, name, { ...given, origin: 'imported' });
    const bundle = doc.ca?.trimEnd();
    const ca = !bundle ? authority.cert : bundle.includes(authority.cert.trim()) ? bundle : `${bundle}\n${authority.cert}`;
    await writeDoc(m, { ...doc, ca }, who, version);
    const subject = nameOf(new X509Certificate(authority.cert));
    const act = await record(
      m,
      who,
      given ? 'brought an authority' : from ? 'trusted an authority' : 'made an authority',
      name,
      { subject },
      [{ kind: 'Registry', key: name, before: doc, after: { ...doc, ca } }],
      'trust.change',
    );
    return { subject, act };
  });
}

export interface CertificateAsked {
  days: number;
  /** A certificate made elsewhere; otherwise the authority held here signs one. */
  given?: { cert: string; key: string } | undefined;
  /** The answer to the request that waits: certificates in PEM. */
  answer?: string | undefined;
  /** Answered as files, to be laid by hand, instead of handed to the registry. */
  files?: boolean | undefined;
  /** Clusters of which somebody says that their hosts trust who signed it. */
  confirmed: readonly string[];
}
export interface CertificateMade {
  until: string;
  fingerprint: string;
  /** To be laid by hand; shown once, and kept nowhere. */
  files?: { cert: string; key: string };
}

/** A request for an authority that signs elsewhere (PKCS#10); its key stays here. One that waited is replaced. */
export async function requestFor(ctx: Context, name: string, who: string): Promise<OpenRequest> {
  const { estate } = await loadEstate(ctx.db);
  const [host = ''] = ownIn(estate, name).endpoint.split(':');
  const addresses = estate.reservations.filter((r) => r.name === host).map((r) => r.address);
  return ctx.db.transaction(async (m) => {
    const made = await newRequest(ctx.config, m, name, host, addresses, who);
    await record(m, who, 'made a certificate request', name);
    return made;
  });
}

/**
 * Gives a registry another certificate: judged against its name and its trust bundle, refused while hosts that stand would
 * refuse it, handed over the connection that the old one protects, and looked at afterwards.
 */
export async function newCertificate(ctx: Context, name: string, want: CertificateAsked, who: string): Promise<CertificateMade> {
  const { estate } = await loadEstate(ctx.db);
  const asked =
    want.answer === undefined ? want : { ...want, given: await pairOf(ctx.config, ctx.db.manager, name, want.answer) };
  const registry = ownIn(estate, name);
  const [host = ''] = registry.endpoint.split(':');
  const authority = await authorityOf(ctx.config, ctx.db.manager, name);
  if (!asked.given && !authority)
    throw new Refusal('not-now', `No authority has its key here that could sign for ${name}.`, {
      remedy: 'Make one, bring one along, or give a certificate that was made elsewhere.',
    });
  const addresses = estate.reservations.filter((r) => r.name === host).map((r) => r.address);
  const pair = asked.given ?? (await serverCertificate(authority as NonNullable<typeof authority>, host, addresses, asked.days));
  const wrong = judgeCertificate({ ...pair, ca: registry.ca ?? '' }, host, new Date()).filter((j) => j.severity === 'stop');
  if (wrong[0])
    throw new Refusal('invalid', `The certificate cannot be used: ${wrong[0].text}.`, {
      places: wrong.map((w) => ({ message: w.text })),
      ...(wrong.some((w) => w.what === 'chain') ? { remedy: 'Put who signed it into the trust first.' } : {}),
    });
  const cert = new X509Certificate(pair.cert);
  const issuers = pems(registry.ca ?? '').filter((a) => cert.checkIssued(new X509Certificate(a)));
  const [issuer] = issuers;
  // The same authority as before is trusted by whoever pulls today.
  const shown = estate.observed.registries[name]?.certificate;
  const same = asked.given
    ? issuers.length === 1 && nameIssuer(cert) === shown?.issuer
    : authority?.issued !== undefined && authority.issued === shown?.fingerprint;
  if (!same) {
    const without = (await clustersTrusting(ctx, estate, registry, issuer)).filter(
      (c) => c.has !== true && !asked.confirmed.includes(c.charter),
    );
    if (without[0])
      throw new Refusal(
        'conflict',
        `Hosts of ${without.map((c) => c.charter).join(' and ')} would refuse it: nothing says that they trust ${nameIssuer(cert)}.`,
        { remedy: 'Carry mirror-ca.crt to them, then confirm it by their names.' },
      );
  }
  const made: CertificateMade = { until: dateOf(cert.validTo), fingerprint: cert.fingerprint256 };
  if (!asked.files) {
    await hand(ctx, registry, pair);
    const seen = await lookAt(ctx, name);
    if (seen.certificate?.fingerprint !== cert.fingerprint256)
      throw new Refusal(
        'unreachable',
        `${name} took the certificate and shows another one${seen.error ? `: ${seen.error}` : ''}.`,
        {
          remedy: 'Look at the machine that it runs on.',
        },
      );
  }
  await ctx.db.transaction(async (m) => {
    if (!asked.given) await noteIssued(m, name, cert.fingerprint256);
    if (asked.answer !== undefined) await dropRequest(m, name);
    await record(m, who, asked.files ? 'made a registry certificate' : 'gave a registry its certificate', name, {
      ...{ until: made.until, fingerprint: made.fingerprint, signer: nameIssuer(cert) },
      ...(asked.confirmed.length ? { confirmed: asked.confirmed } : {}),
    });
    await tell(m, 'SeenRegistry', name);
  });
  if (!asked.files) await lookAt(ctx, name);
  return asked.files ? { ...made, files: pair } : made;
}

const nameIssuer = (c: X509Certificate) => /CN=(.+)/.exec(c.issuer)?.[1] ?? c.issuer;

async function hand(ctx: Context, registry: Registry, pair: { cert: string; key: string }): Promise<void> {
  try {
    await handCertificate(await openRegistry(ctx, registry), pair);
  } catch (e) {
    if (e instanceof ProtocolError && e.status === 404)
      throw new Refusal('not-now', `${registry.name} takes no certificate over the network.`, {
        remedy: 'Take it as files, and lay them on its machine by hand.',
      });
    throw e;
  }
}

/**
 * Renews what was issued here and is due. What fails is told beside the registry, and tried again an hour later. A registry
 * that shows another one than was issued last is somebody else's to renew.
 */
export async function renewDue(ctx: Context): Promise<void> {
  const { estate } = await loadEstate(ctx.db);
  const now = Date.now();
  for (const r of estate.registries) {
    const { certificate: c, renews } = estate.observed.registries[r.name] ?? {};
    if (!c || !renews || now < Date.parse(renewalDue(c))) continue;
    if (renews.tried && now - Date.parse(renews.tried) < 3_600_000) continue;
    const days = Math.max(1, Math.round((Date.parse(c.notAfter) - Date.parse(c.notBefore)) / 86_400_000));
    let error: string | undefined;
    try {
      await newCertificate(ctx, r.name, { days, confirmed: [] }, 'praesidor');
    } catch (e) {
      if (!(e instanceof Refusal || e instanceof ProtocolError)) throw e;
      error = e.message;
    }
    if (error === undefined) continue;
    ctx.log('renewal', { registry: r.name, error });
    await ctx.db.transaction(async (m) => {
      await m.query("update observation set data = jsonb_set(data, '{renews}', $2) where kind = 'registry' and subject = $1", [
        r.name,
        JSON.stringify({ tried: new Date(now).toISOString(), error }),
      ]);
      await tell(m, 'SeenRegistry', r.name);
    });
  }
}
