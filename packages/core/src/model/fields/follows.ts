import { isIp, parsePrefix, prefixRange, formatIp, serverList } from '../../address/index.ts';
import { commonReverseZone } from '../../naming/reverse.ts';
import type { Kind } from '../documents.ts';
import type { Estate } from '../estate.ts';
import { componentsIn } from '../manifests.ts';

type Raw = Readonly<Record<string, unknown>>;
/** What a site is called until its title says more. */
export const newSite = 'new-site';
/** What a reverse zone is called until the prefix is known that it is about. */
export const reversePlaceholder = 'in-addr.arpa';
const text = (v: unknown): string => (typeof v === 'string' ? v : '');

/**
 * Values that follow from what else a document says, and from what stands around it: a gateway from a prefix, a domain from a
 * site's name. They are what a form fills in until somebody sets the field. A kind that is not named has none.
 */
const rules: Partial<Record<Kind, (doc: Raw, estate: Estate) => Record<string, unknown>>> = {
  Site: (doc, estate) => {
    const parent = estate.sites
      .find((s) => s.name !== doc.name && s.domain)
      ?.domain.split('.')
      .slice(1)
      .join('.');
    const reach = { hall: 'open', 'sealed-room': 'sealed', edge: 'thin' }[text(doc.form)];
    return {
      name: freshName(initials(text(doc.title)) || newSite, text(doc.name), estate.sites),
      ...(reach ? { reach } : {}),
      ...(doc.name && parent ? { domain: `${text(doc.name)}.${parent}` } : {}),
    };
  },
  Network: (doc, estate) => ({
    ...(doc.site && doc.purpose
      ? { name: freshName(`${text(doc.site)}-${text(doc.purpose)}`, text(doc.name), estate.networks) }
      : {}),
    ...gatewayOf(doc),
  }),
  Zone: (doc, estate) => {
    const site = estate.sites.find((s) => s.name === doc.site);
    const back = text(doc.name).endsWith('.arpa') || doc.name === reversePlaceholder;
    const name = back ? reverseOfSite(text(doc.site), estate) : (site?.domain ?? '');
    const around = site?.domain ?? text(doc.name);
    const first = serverList(site?.resolvers ?? []).servers.find(isIp);
    return {
      ...(name ? { name } : {}),
      ...(site ? { key: `${site.name}-dns` } : {}),
      ...(first ? { primary: first } : {}),
      ...(around ? { servers: [`ns1.${around}`], contact: `hostmaster.${around}` } : {}),
    };
  },
  Registry: (doc, estate) => {
    const site = estate.sites.find((s) => s.name === doc.site);
    if (doc.role === 'source') return {};
    return {
      ...(site ? { name: freshName(`${site.name}-registry`, text(doc.name), estate.registries) } : {}),
      ...(site?.domain ? { endpoint: `registry.${site.domain}:5000` } : {}),
      ...(doc.name ? { credential: text(doc.name) } : {}),
    };
  },
  // The address of a registry stands in the ledger, or it could be given to a node; what its name server says of it is known.
  Reservation: (doc, estate) => {
    const owner = doc.owner as { kind?: unknown; name?: unknown } | undefined;
    const registry = owner?.kind === 'registry' ? estate.registries.find((r) => r.name === owner.name) : undefined;
    const name = text(registry?.endpoint).replace(/:\d+$/, '');
    if (!name || isIp(name)) return {};
    const served = Object.values(estate.observed.zones).flatMap((z) =>
      z.records.filter((r) => r.name === name && r.type === 'A'),
    );
    return { name, ...(served[0] ? { address: served[0].value } : {}) };
  },
  // What an add-on brings says itself which images it is made of.
  Addon: (doc) => (text(doc.manifests) ? { components: componentsIn(text(doc.manifests)) } : {}),
  Hypervisor: (doc, estate) => {
    const site = estate.sites.find((s) => s.name === doc.site);
    return site?.domain && doc.name ? { endpoint: `${text(doc.name)}.${site.domain}:8443` } : {};
  },
};

/** What follows for a document, by field; nothing where it cannot be known yet. */
export const followsFor = (kind: Kind, doc: Raw, estate: Estate): Record<string, unknown> => rules[kind]?.(doc, estate) ?? {};

/**
 * Fields of a document that follow and are to change, after an edit made `now` of `before`: those that are empty, or that held
 * what followed before. What somebody set stays. Asked again until nothing changes, since one value can follow from another.
 *
 * @param typed the field that is being edited; it is left alone
 * @param was what followed before, where other things stood around the document then
 *
 * @example
 * followed('Network', { prefix: '10.1.0.0/24' }, { prefix: '10.1.1.0/24' }, estate) // { gateway: '10.1.1.1' }
 */
export function followed(
  kind: Kind,
  before: Raw,
  now: Raw,
  estate: Estate,
  typed?: string,
  was: Readonly<Record<string, unknown>> = followsFor(kind, before, estate),
): Record<string, unknown> {
  const out: Record<string, unknown> = {};
  let doc: Raw = now;
  for (let round = 0; round < 4; round++) {
    const next = Object.entries(followsFor(kind, doc, estate)).filter(([field, value]) => {
      if (field === typed || alike(doc[field], value)) return false;
      return isEmpty(doc[field]) || alike(doc[field], was[field]) || Object.hasOwn(out, field);
    });
    if (!next.length) break;
    for (const [field, value] of next) out[field] = value;
    doc = { ...doc, ...Object.fromEntries(next) };
  }
  return out;
}

const isEmpty = (v: unknown) => v === undefined || v === null || v === '' || (Array.isArray(v) && v.length === 0);
const alike = (a: unknown, b: unknown) => JSON.stringify(a) === JSON.stringify(b);

const looksLikePrefix = (v: unknown): boolean => typeof v === 'string' && /[.:].*\/\d{1,3}$/.test(v);

/** The zone of the addresses that nodes of a site have. */
function reverseOfSite(site: string, estate: Estate): string {
  const machine = estate.networks.find((n) => n.site === site && n.purpose === 'machine');
  // It is asked at every keystroke: what is no prefix yet is seen before it is read.
  if (!looksLikePrefix(machine?.prefix)) return reversePlaceholder;
  try {
    return commonReverseZone(parsePrefix(text(machine?.prefix)));
  } catch {
    return reversePlaceholder;
  }
}

/** Two to four letters: the first of each word, or of the only one. */
function initials(title: string): string {
  const words = title
    .normalize('NFD')
    .toLowerCase()
    .replace(/[^a-z0-9 -]/g, '')
    .split(/[ -]+/)
    .filter(Boolean);
  return words.length > 1
    ? words
        .slice(0, 4)
        .map((w) => w[0])
        .join('')
    : (words[0] ?? '').slice(0, 3);
}

function freshName(wish: string, own: string, all: readonly { name: string }[]): string {
  const taken = (n: string) => n !== own && all.some((x) => x.name === n);
  let name = wish;
  for (let i = 2; taken(name); i++) name = `${wish}-${i}`;
  return name;
}

/** The first address of an IPv4 prefix, as most routers have it. */
function gatewayOf(doc: Raw): { gateway?: string } {
  if (!looksLikePrefix(doc.prefix)) return {};
  try {
    const p = parsePrefix(text(doc.prefix));
    const r = prefixRange(p);
    return p.v === 4 && p.length <= 30 && doc.purpose !== 'storage' ? { gateway: formatIp({ v: 4, n: r.first + 1n }) } : {};
  } catch {
    return {};
  }
}
