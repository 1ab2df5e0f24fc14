import { X509Certificate } from 'node:crypto';
import { createReadStream, existsSync, mkdirSync, mkdtempSync, readdirSync, rmSync, statSync, writeFileSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import {
  askedImages,
  heldBy,
  joinBills,
  missing,
  type Repair,
  repairOf,
  sharedBetween,
  sizeOf,
  wantedImages,
  deletable,
  wouldPull,
} from '@praesidor/core/images';
import { bytesText, counted } from '@praesidor/core/words';
import { type Bill, type Estate, nearest } from '@praesidor/core/model';
import { ProtocolError } from '@praesidor/protocols/dial';
import { collectUnused, deleteManifest, heldAt, tellsNoMore, walkBill } from '@praesidor/protocols/oci';
import {
  ArchiveRefused,
  CaseFolder,
  landCase,
  answered,
  publicKeyOf,
  requestCertificate,
  type Signed,
  signedBy,
  type SigningKey,
  type TrustedKey,
  NotACase,
  packCases,
  planCases,
  readManifests,
  unpack,
  type Verified,
  verifyCase,
} from '@praesidor/shipping';
import { estateOf, estateOption, readText, Unusable } from '../estate.ts';
import type { Asked, CommandGroup, SubCommand } from '../options.ts';
import { needRegistry, registryOf, registryOptions } from '../registry.ts';
import { push } from './push.ts';

type Write = (text: string) => void;
const put = (asked: Asked, write: Write, json: unknown, text: () => string) =>
  write(asked.options.json ? `${JSON.stringify(json, null, 2)}\n` : text());

/** What speaks to a registry or reads a medium: its faults are said, not thrown at somebody. */
const plainly =
  (run: (asked: Asked, write: Write) => Promise<number>): SubCommand['run'] =>
  async (asked, write) => {
    try {
      return await run(asked, write);
    } catch (e) {
      if (e instanceof ProtocolError || e instanceof NotACase || e instanceof ArchiveRefused || e instanceof RangeError)
        throw new Unusable(e.message);
      throw e;
    }
  };

function docOf(estate: Estate, name: string) {
  const docs = [...estate.releases, ...estate.addons];
  const found = docs.find((d) => d.name === name);
  if (found) return found;
  const near = nearest(
    name,
    docs.map((d) => d.name),
  );
  throw new Unusable(`there is neither a release nor an add-on ${name}${near ? `; did you mean ${near}?` : ''}`);
}
function billsOf(estate: Estate, names: readonly string[]): Bill[] {
  return names.map((n) => {
    const bill = estate.observed.bills[docOf(estate, n).name];
    if (!bill)
      throw new Unusable(`the bill of ${n} is not known here; walk it first with: images bill ${n} --registry … --out DIR`);
    return bill;
  });
}

/** The registry of the estate that answers there: it says under which paths it keeps what. */
const declaredAt = (estate: Estate, endpoint: unknown) => estate.registries.find((r) => r.endpoint === endpoint);

/** What somebody types as a size: `60GB`, `700 MB`. */
function sizeIn(text: unknown, usual: number): number {
  if (text === undefined) return usual;
  const m = /^\s*(\d+(?:\.\d+)?)\s*([kMGT])?B?\s*$/i.exec(String(text));
  if (!m) throw new Unusable(`--case-size: ${String(text)} is no size; write it like 60GB or 700MB`);
  return Math.round(Number(m[1]) * ({ K: 1e3, M: 1e6, G: 1e9, T: 1e12 }[(m[2] ?? '').toUpperCase()] ?? 1));
}

const bill = plainly(async (asked, write) => {
  const estate = estateOf(asked);
  const r = registryOf(asked);
  try {
    const bills: Bill[] = [];
    for (const name of asked.words) {
      const doc = docOf(estate, name);
      bills.push(
        r
          ? await walkBill(r.at, name, doc.components, doc.arch ?? ['x86-64'], estate.now, declaredAt(estate, r.at.endpoint))
          : (billsOf(estate, [name])[0] as Bill),
      );
    }
    if (typeof asked.options.out === 'string') {
      mkdirSync(asked.options.out, { recursive: true });
      for (const b of bills) writeFileSync(join(asked.options.out, `${b.name}.json`), JSON.stringify(b));
    }
    const all = sizeOf(bills);
    const shared = sharedBetween(bills);
    put(
      asked,
      write,
      { bills: bills.map((b) => ({ name: b.name, images: b.images.length, ...sizeOf(b) })), all, shared },
      () =>
        `${bills.map((b) => `${b.name}: ${b.images.length} images, ${sizeOf(b).blobs} blobs, ${bytesText(sizeOf(b).bytes)}, ${bytesText(sizeOf(b).declaredBytes)} as declared\n`).join('')}${shared.map((s) => `${s.a} and ${s.b} share ${s.blobs} blobs, ${bytesText(s.declaredBytes)}\n`).join('')}${bills.length > 1 ? `together ${all.blobs} blobs, ${bytesText(all.bytes)}\n` : ''}`,
    );
    return 0;
  } finally {
    await r?.close();
  }
});

const lacking = plainly(async (asked, write) => {
  const estate = estateOf(asked);
  const r = needRegistry(asked);
  try {
    const whole = joinBills('', billsOf(estate, asked.words));
    const place = declaredAt(estate, r.at.endpoint);
    const there = await heldAt(r.at, () => ({ images: askedImages([whole], place) }));
    const lack = missing(whole, heldBy({ at: estate.now, ...there }, place));
    put(
      asked,
      write,
      lack,
      () =>
        `${lack.images.map((i) => `${i}\n`).join('')}${lack.blobs} blobs, ${bytesText(lack.bytes)}, of ${lack.images.length} images are not at ${r.at.endpoint}\n`,
    );
    return lack.images.length ? 1 : 0;
  } finally {
    await r.close();
  }
});

/** What is to be packed: what a list says is lacking, what a report says is damaged, or everything. */
function selection(asked: Asked, whole: Bill): { refs: Set<string>; digests: Set<string> } {
  const read = <T>(option: string): T | undefined => {
    const file = asked.options[option];
    if (typeof file !== 'string') return undefined;
    try {
      return JSON.parse(readText(file)) as T;
    } catch (e) {
      if (e instanceof Unusable) throw e;
      throw new Unusable(`${file}: it is not JSON`);
    }
  };
  const lack = read<{ images?: string[]; digests?: string[] }>('lacking');
  if (lack) return { refs: new Set(lack.images ?? []), digests: new Set(lack.digests ?? []) };
  const report = read<{ repair?: Repair }>('repair');
  if (report) {
    const digests = new Set(report.repair?.digests ?? []);
    return { refs: new Set(whole.images.filter((i) => i.blobs.some((b) => digests.has(b))).map((i) => i.ref)), digests };
  }
  return { refs: new Set(whole.images.map((i) => i.ref)), digests: new Set(Object.keys(whole.blobs)) };
}

const pack = plainly(async (asked, write) => {
  const estate = estateOf(asked);
  const { out, to } = asked.options;
  if (typeof out !== 'string') throw new Unusable('--out is needed: the folder that the cases are written to');
  const r = needRegistry(asked);
  try {
    const whole = joinBills('', billsOf(estate, asked.words));
    const { refs, digests } = selection(asked, whole);
    if (!refs.size) throw new Unusable('nothing is lacking: there is nothing to pack');
    const { images, bodies } = await readManifests(
      r.at,
      wantedImages(whole, refs, declaredAt(estate, r.at.endpoint), declaredAt(estate, to)),
    );
    const sizes = Object.fromEntries(Object.entries(whole.blobs).map(([d, b]) => [d, b.bytes]));
    const used = new Set(images.flatMap((i) => i.blobs));
    const shipment = typeof asked.options.name === 'string' ? asked.options.name : `shipment-${estate.now.slice(0, 10)}`;
    const draft = { shipment, at: estate.now, from: r.at.endpoint, to: typeof to === 'string' ? to : '', bills: asked.words };
    const plan = planCases(
      draft,
      images,
      sizes,
      [...digests].filter((d) => used.has(d)).sort(),
      sizeIn(asked.options.caseSize, 60e9),
    );
    const signer = signerOf(asked);
    const w = await packCases(plan, r.at, bodies, (n) => join(out, `case-${n}`), signer ? { signer } : {});
    const cases = w.cases.map((c) => ({ number: c.number, bytes: c.bytes, folder: join(out, `case-${c.number}`) }));
    put(asked, write, { shipment, cases, images: images.length }, () =>
      [
        ...cases.map((c) => `${c.folder}: case ${c.number} of ${cases.length}, ${bytesText(c.bytes)}\n`),
        `${shipment}: ${images.length} images\n`,
      ].join(''),
    );
    return 0;
  } finally {
    await r.close();
  }
});

/** Folders of cases: as they are named, those in a named folder, and archives unpacked beside `keep`. */
async function casesIn(words: readonly string[], keep: string): Promise<CaseFolder[]> {
  const out: CaseFolder[] = [];
  for (const word of words) {
    const s = existsSync(word) ? statSync(word) : undefined;
    if (!s) throw new Unusable(`${word}: there is no such folder or archive`);
    if (s.isFile()) {
      const dir = mkdtempSync(join(keep, 'case-'));
      await unpack(createReadStream(word), dir);
      out.push(new CaseFolder(dir));
    } else if (existsSync(join(word, 'shipment.json'))) out.push(new CaseFolder(word));
    else {
      const inside = readdirSync(word)
        .map((n) => join(word, n))
        .filter((d) => existsSync(join(d, 'shipment.json')));
      if (!inside.length) throw new NotACase(`${word} is no case, and holds none`);
      out.push(...inside.sort().map((d) => new CaseFolder(d)));
    }
  }
  return out;
}

async function withKeep<T>(asked: Asked, act: (keep: string) => Promise<T>): Promise<T> {
  if (typeof asked.options.keep === 'string') {
    mkdirSync(asked.options.keep, { recursive: true });
    return act(asked.options.keep);
  }
  const dir = mkdtempSync(join(tmpdir(), 'praesidor-'));
  try {
    return await act(dir);
  } finally {
    rmSync(dir, { recursive: true, force: true });
  }
}

const verify = plainly((asked, write) =>
  withKeep(asked, async (keep) => {
    const boxes = await casesIn(asked.words, keep);
    const cases: Verified[] = [];
    const trusted = trustedOf(asked);
    const signatures: Signed[] = [];
    for (const box of boxes) {
      cases.push(await verifyCase(box));
      signatures.push(await signedBy(box, trusted));
    }
    const { manifest } = await (boxes[0] as CaseFolder).describe();
    const strange = cases.find((c) => c.shipment !== manifest.shipment);
    if (strange) throw new Unusable(`case ${strange.number} is of ${strange.shipment}, the others of ${manifest.shipment}`);
    const repair = repairOf(manifest, { cases: cases.map((c) => ({ number: c.number, bad: c.bad })) });
    const wrong = signatures.some((s) => s.state === 'wrong');
    put(asked, write, { shipment: manifest.shipment, cases, repair, signatures }, () =>
      [
        ...cases.map(
          (c, i) =>
            `case ${c.number} of ${c.of}: ${c.files} files, ${bytesText(c.bytes)}, ${c.bad.length ? `${c.bad.length} damaged` : 'whole'}, ${signatureText(signatures[i] as Signed)}\n${c.bad.map((b) => `  ${b.path} ${b.why}\n`).join('')}`,
        ),
        repair.missing.length ? `not here: ${repair.missing.map((n) => `case ${n}`).join(', ')}\n` : '',
        repair.digests.length
          ? `${bytesText(repair.bytes)} in ${repair.digests.length} blobs make it good; ${repair.images.length} images wait for them\n`
          : `${manifest.shipment} is whole: ${manifest.images.length} images\n`,
      ].join(''),
    );
    return repair.digests.length || cases.some((c) => c.bad.length) || wrong ? 1 : 0;
  }),
);

/** The key that signs what is packed; undefined: it goes unsigned. */
function signerOf(asked: Asked): SigningKey | undefined {
  const file = asked.options.signWith;
  if (typeof file !== 'string') return undefined;
  const privateKey = readText(file, 10_000);
  try {
    publicKeyOf(privateKey);
  } catch (e) {
    throw new Unusable(`${file}: no Ed25519 private key in PEM (openssl genpkey -algorithm ed25519): ${(e as Error).message}`);
  }
  return { name: typeof asked.options.signer === 'string' ? asked.options.signer : 'command line', privateKey };
}

/** Keys of installations whose shipments are believed: PEM files, or one raw key in base64 a line with a name behind it. */
function trustedOf(asked: Asked): TrustedKey[] {
  const file = asked.options.trust;
  if (typeof file !== 'string') return [];
  const text = readText(file, 100_000);
  try {
    if (text.includes('-----BEGIN')) return [{ name: file, key: publicKeyOf(text) }];
  } catch (e) {
    throw new Unusable(`${file}: no Ed25519 public key in PEM: ${(e as Error).message}`);
  }
  return text
    .split('\n')
    .filter((l) => l.trim() && !l.startsWith('#'))
    .map((l, i) => {
      const [key = '', ...name] = l.trim().split(/\s+/);
      if (!/^[A-Za-z0-9+/]{43}=$/.test(key)) throw new Unusable(`${file}:${i + 1}:1: no Ed25519 public key: 32 bytes in base64`);
      return { key, name: name.join(' ') || key.slice(0, 8) };
    });
}
const signatureText = (s: Signed): string =>
  s.state === 'trusted'
    ? `signed by ${s.by}`
    : s.state === 'foreign'
      ? `signed by ${s.by}, whose key is not trusted (${s.key})`
      : s.state === 'unsigned'
        ? 'not signed'
        : `signature wrong: ${s.why}`;

/** What was changed is refused; what nobody vouches for is shown with all that it would bring, and lands only by its name. @throws Unusable */
async function refuseUnverified(asked: Asked, boxes: readonly CaseFolder[], write: (text: string) => void): Promise<void> {
  const trusted = trustedOf(asked);
  for (const box of boxes) {
    const s = await signedBy(box, trusted);
    const { manifest } = await box.describe();
    if (s.state === 'wrong') throw new Unusable(`${box.dir}: ${s.why}; it was changed after it was packed`);
    if (s.state === 'trusted' || asked.options.accept === manifest.shipment) continue;
    if (!asked.options.json)
      write(
        `${manifest.shipment} is ${signatureText(s)}. It would put ${manifest.images.length} images:\n${manifest.images
          .slice(0, 200)
          .map((i) => `  ${i.repository}${i.tag ? `:${i.tag}` : ''} ${i.digest}\n`)
          .join('')}`,
      );
    throw new Unusable(
      `${manifest.shipment} is ${signatureText(s)}: nothing was landed. Name it to accept it: --accept ${manifest.shipment}`,
    );
  }
}

const land = plainly((asked, write) =>
  withKeep(asked, async (keep) => {
    const r = needRegistry(asked);
    try {
      const boxes = await casesIn(asked.words, keep);
      await refuseUnverified(asked, boxes, write);
      const done: Awaited<ReturnType<typeof landCase>>[] = [];
      for (const box of boxes) {
        const l = await landCase(box, r.at, join(keep, 'parts'));
        done.push(l);
        if (!asked.options.json)
          write(
            `case ${l.number}: ${l.blobs} blobs landed, ${l.images} of ${l.of} images whole\n${l.bad.map((b) => `  ${b.path} ${b.why}\n`).join('')}`,
          );
      }
      const last = done.at(-1);
      const whole = last !== undefined && last.images === last.of;
      if (asked.options.json) write(`${JSON.stringify({ cases: done, whole }, null, 2)}\n`);
      else
        write(
          whole
            ? `everything is at ${r.at.endpoint}, verified\n`
            : `${counted((last?.of ?? 0) - (last?.images ?? 0), 'image waits', 'images wait')} for other cases\n`,
        );
      return whole ? 0 : 1;
    } finally {
      await r.close();
    }
  }),
);

const where: SubCommand['run'] = (asked, write) => {
  const estate = estateOf(asked);
  const [host = '', image = ''] = asked.words;
  const known = estate.hosts.some((h) => h.name === host);
  const charter = estate.charters.find((c) => c.name === host)?.name;
  if (!known && !charter) {
    const near = nearest(
      host,
      estate.hosts.map((h) => h.name),
    );
    throw new Unusable(`there is no host or charter ${host}${near ? `; did you mean ${near}?` : ''}`);
  }
  let w: ReturnType<typeof wouldPull>;
  try {
    w = wouldPull(estate, known ? host : '', image, charter);
  } catch (e) {
    throw new Unusable((e as Error).message);
  }
  put(
    asked,
    write,
    w,
    () =>
      `${w.endpoint}/${w.repository}:${w.reference}\n${w.steps.map((s) => `${s.good === undefined ? '?' : s.good ? '+' : '-'} ${s.text}\n`).join('')}`,
  );
  return w.works === false ? 1 : 0;
};

const cleanUp = plainly(async (asked, write) => {
  const estate = estateOf(asked);
  const r = needRegistry(asked);
  try {
    const name = estate.registries.find((x) => x.endpoint === r.at.endpoint)?.name;
    if (!name)
      throw new Unusable(`${r.at.endpoint} is no registry of this estate: who uses it is not known, so nothing can be deleted`);
    const images = askedImages(Object.values(estate.observed.bills), declaredAt(estate, r.at.endpoint));
    estate.observed.registries[name] = { at: estate.now, ...(await heldAt(r.at, () => ({ images }))) };
    const last = Number(asked.options.keep ?? 1);
    if (!(Number.isInteger(last) && last >= 0))
      throw new Unusable(`--keep: ${String(asked.options.keep)} is no number of releases`);
    const plan = deletable(estate, name, { last });
    let took: { names: number; blobs: number; bytes: number } | undefined;
    if (asked.options.do && plan.deletes.length) {
      let names = 0;
      for (const d of plan.deletes) if (await deleteManifest(r.at, d.repository, d.tag ?? d.digest)) names++;
      // One that is not ours frees what nothing refers to in its own time.
      const c = await collectUnused(r.at, { untagged: true }).catch((e: unknown) => {
        if (tellsNoMore(e)) return { blobs: 0, bytes: 0 };
        throw e;
      });
      took = { names, blobs: c.blobs, bytes: c.bytes };
    }
    put(asked, write, { ...plan, took }, () =>
      [
        ...plan.stays.map((s) => `stays  ${s.bill}: ${s.why.join('; ')}\n`),
        ...plan.goes.map((g) => `goes   ${g.bill}: ${g.images.length} images, ${bytesText(g.declaredBytes)} of its own\n`),
        plan.unknown.length ? `alone  ${plan.unknown.length} names that no bill here has\n` : '',
        took
          ? `took ${took.names} names and ${took.blobs} blobs, ${bytesText(took.bytes)}; content younger than an hour goes next time\n`
          : plan.deletes.length
            ? `${plan.deletes.length} names, ${bytesText(plan.free.bytes)}: nothing was touched; --do deletes them\n`
            : 'nothing can be deleted\n',
      ].join(''),
    );
    return 0;
  } finally {
    await r.close();
  }
});

/** A key that stays here, and the request for whoever signs. An older key is never overwritten: an answer may be on its way. */
const request = plainly(async (asked, write) => {
  const [host = ''] = asked.words;
  if (!/^[a-z0-9]([a-z0-9.-]*[a-z0-9])?$/i.test(host)) throw new Unusable(`${host || 'nothing'} is no host name`);
  const out = typeof asked.options.out === 'string' ? asked.options.out : '.';
  const key = join(out, `${host}.key`);
  if (existsSync(key))
    throw new Unusable(`${key} is there already: an answer to its request may be on its way. Move it away first.`);
  const more =
    typeof asked.options.also === 'string'
      ? asked.options.also
          .split(',')
          .map((t) => t.trim())
          .filter(Boolean)
      : [];
  const made = await requestCertificate(host, more);
  mkdirSync(out, { recursive: true });
  writeFileSync(key, made.key, { mode: 0o600, flag: 'wx' });
  writeFileSync(join(out, `${host}.csr`), made.request);
  put(asked, write, { key, request: join(out, `${host}.csr`) }, () => `${key}\n${join(out, `${host}.csr`)}\n`);
  return 0;
});

/** The answer held against the key, the name and whoever is trusted; what comes out is what a registry is given. */
const answer = plainly((asked, write) => {
  const [host = '', file = ''] = asked.words;
  const out = typeof asked.options.out === 'string' ? asked.options.out : '.';
  const key = readText(join(out, `${host}.key`), 20_000);
  let chain: string;
  try {
    chain = answered(key, readText(file, 200_000));
  } catch (e) {
    throw e instanceof Unusable ? e : new Unusable(`${file}: ${(e as Error).message}`);
  }
  const cert = new X509Certificate(chain);
  const wrong = !cert.checkHost(host)
    ? `it is for ${cert.subjectAltName ?? cert.subject}, not for ${host}`
    : new Date(cert.validTo) < new Date()
      ? `it ended on ${cert.validTo}`
      : undefined;
  if (wrong) throw new Unusable(`${file}: ${wrong}`);
  writeFileSync(join(out, `${host}.crt`), chain);
  const until = new Date(cert.validTo).toISOString();
  put(
    asked,
    write,
    { certificate: join(out, `${host}.crt`), until },
    () => `${join(out, `${host}.crt`)}\nfor ${host}, until ${until}\n`,
  );
  return Promise.resolve(0);
});

const now: [string, string] = ['--now <time>', 'the time to compute with (ISO 8601)'];
const keep: [string, string] = ['--keep <dir>', 'folder for parts of large blobs, and for archives while they are read'];

const trust: [string, string] = ['--trust <file>', 'public keys whose signatures are believed: PEM, or base64 and a name a line'];

/** Images without a server: bills walked, cases packed, carried, verified and landed, on a machine that has only this command. */
export const images: CommandGroup = {
  name: 'images',
  about: 'bills, what a registry lacks, cases packed, verified and landed, where a host pulls from, what can be deleted',
  commands: [
    {
      name: 'bill',
      about: 'the images and layers of releases and add-ons; with --registry walked at their source',
      words: '<name...>',
      options: [
        estateOption,
        now,
        ...registryOptions,
        ['--out <dir>', 'folder that the bills are written to (observed/bills of the estate)'],
      ],
      run: bill,
    },
    {
      name: 'missing',
      about: 'what a registry lacks of some bills',
      words: '<name...>',
      options: [estateOption, now, ...registryOptions],
      run: lacking,
    },
    {
      name: 'pack',
      about: 'cases of some bills from a registry, for carrying; called again, it goes on',
      words: '<name...>',
      options: [
        estateOption,
        now,
        ...registryOptions,
        ['--out <dir>', 'folder that the cases are written to'],
        ['--case-size <size>', 'how large one case may be, such as 60GB'],
        ['--lacking <file>', 'what missing --json wrote: only that is packed'],
        ['--repair <file>', 'what verify --json wrote: only what is damaged or not there is packed'],
        ['--name <name>', 'what the shipment is called'],
        ['--to <host:port>', 'the registry that it is for'],
        ['--sign-with <file>', 'an Ed25519 private key in PEM: whoever lands it can tell who packed it'],
        ['--signer <name>', 'what you are called in the signature'],
      ],
      run: pack,
    },
    {
      name: 'request',
      about: 'makes a key and a certificate request (PKCS#10) for a registry, to be signed elsewhere',
      words: '<host>',
      options: [
        ['--out <dir>', 'where <host>.key and <host>.csr go'],
        ['--also <list>', 'more names and addresses, with commas'],
      ],
      run: request,
    },
    {
      name: 'answer',
      about: 'takes what was signed for that request: held against its key, name and time, written as <host>.crt',
      words: '<host> <certificate>',
      options: [['--out <dir>', 'where <host>.key lies, and <host>.crt goes']],
      run: answer,
    },
    {
      name: 'verify',
      about: 'reads cases, names what is damaged or not there, and computes the repair',
      words: '<case...>',
      options: [keep, trust],
      run: verify,
    },
    {
      name: 'land',
      about: 'lands cases at a registry, in any order, verified',
      words: '<case...>',
      options: [
        ...registryOptions,
        keep,
        trust,
        ['--accept <shipment>', 'land it although nobody who is trusted has signed it, by its name'],
      ],
      run: land,
    },
    {
      name: 'push',
      about: 'sends the image of an OCI image layout to a registry, under a name',
      words: '<folder> <repository:tag>',
      options: registryOptions,
      run: plainly(push),
    },
    {
      name: 'where',
      about: 'where a host would pull an image from, and whether it would work',
      words: '<host> <image>',
      options: [estateOption, now],
      run: where,
    },
    {
      name: 'clean-up',
      about: 'what can be deleted from a registry, and why the rest stays; --do deletes it',
      options: [
        estateOption,
        now,
        ...registryOptions,
        ['--keep <n>', 'newest releases that stay, used or not'],
        ['--do', 'deletes it'],
      ],
      run: cleanUp,
    },
  ],
};
