import { execFileSync } from 'node:child_process';
import { mkdtempSync, readFileSync, rmSync, writeFileSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { afterAll, beforeAll, describe, expect, it } from 'vitest';
import { parse } from 'yaml';
import { type Client, Installation } from './installation.ts';

/** The site book: what stands in it, what must not, and the PDF that Chromium makes of it. */
const i = new Installation();
let c: Client;
const dir = mkdtempSync(join(tmpdir(), 'book-'));
beforeAll(async () => {
  await i.start();
  c = await i.as('warden');
});
afterAll(async () => {
  await i.stop();
  rmSync(dir, { recursive: true, force: true });
});
const get = (path: string) => fetch(c.url + path, { headers: { cookie: c.cookie } });
const page = async (site: string) => (await get(`/api/sites/${site}/files/book.html`)).text();
const revision = async () => (await c.good<{ revision: number }>('GET', '/api/estate')).revision;
const put = (doc: object) => c.good('POST', '/api/edits', { why: 'x', edits: [{ op: 'put', doc }] });

describe('the site book', () => {
  it('has what somebody needs there: racks, cabling, addresses, names, hosts, registries, clusters, the next steps and whom to call', async () => {
    const before = await revision();
    const html = await page('lr');
    const e = await c.estate();
    const here = e.hosts.filter((h) => h.site === 'lr');
    for (const h of here) {
      expect(html).toContain(`<td class="mono">${h.name}</td>`);
      if (h.facts?.serial) expect(html).toContain(h.facts.serial);
      for (const n of h.facts?.nics ?? []) expect(html).toContain(n.mac);
    }
    for (const r of e.reservations.filter((x) => x.network === 'lr-machine' && !x.resting)) expect(html).toContain(r.address);
    for (const chapter of [
      'The site',
      'Racks',
      'Hosts',
      'Cabling',
      'Networks and gateways',
      'Addresses',
      'Names',
      'Registries and trust',
      'Clusters',
      'The next change of each cluster',
    ])
      expect(html).toContain(`</span>${chapter}</h2>`);
    expect(html).toMatch(/Watch room<\/td><td>power and doors<\/td><td>extension 4417/);
    expect(html).toContain('rack R1, rear');
    // Each step of what is due has room for a time and for initials.
    const due = (await c.good<{ due: { title: string; steps: { title: string }[] } }>('GET', '/api/charters/plover/change')).due;
    expect(html).toContain(`<h3>${due.title}</h3>`);
    expect(html.match(/<td class="blank"><\/td><td class="blank"><\/td><\/tr>/g)).toHaveLength(due.steps.length);
    // Of the estate as it was between two questions.
    const of = Number(/from revision (\d+) of the estate/.exec(html)?.[1]);
    expect([of >= before, of <= (await revision())]).toEqual([true, true]);
    expect(html).toMatch(/made \d+ \w+ \d{4}, \d\d:\d\d \(Europe\/Lisbon\)/);
  });
  it('has no secret: nothing that the keyring keeps stands in it', async () => {
    const entries = parse(readFileSync(join(import.meta.dirname, '../../../demo/keyring.yaml'), 'utf8')) as {
      secret?: string;
      fields?: Record<string, string>;
    }[];
    const secrets = entries.flatMap((e) =>
      Object.entries({ ...e, ...e.fields }).flatMap(([k, v]) =>
        /secret|password|key/i.test(k) && typeof v === 'string' ? [v] : [],
      ),
    );
    expect(secrets.length).toBeGreaterThan(3);
    for (const site of ['lr', 'bw', 'ptl']) {
      const html = await page(site);
      expect(secrets.filter((s) => html.includes(s))).toEqual([]);
    }
  });
  it('takes nothing of the estate for markup or for style, and runs nothing', async () => {
    const site = (await c.estate()).sites.find((s) => s.name === 'tst');
    await put({
      ...site,
      title: '</style><script>alert(1)</script>" } body { display: none',
      contacts: [{ name: '<img src=x onerror=alert(1)>', call: '"; }' }],
    });
    const answer = await get('/api/sites/tst/files/book.html');
    const html = await answer.text();
    expect(html).not.toMatch(/<script|<img|<\/style>[\s\S]*<\/style>/);
    expect(html).toContain('&lt;img src=x onerror=alert(1)&gt;');
    expect(answer.headers.get('content-security-policy')).toBe(
      "sandbox; default-src 'none'; style-src 'unsafe-inline'; frame-ancestors 'self'",
    );
    await put(site as object);
  });
  it('is made where a certificate cannot be read: it says so', async () => {
    const ca = '-----BEGIN CERTIFICATE-----\nMIIB\n-----END CERTIFICATE-----\n';
    await c.good('POST', '/api/edits', {
      why: 'x',
      edits: [{ op: 'set', kind: 'Registry', key: 'tst-registry', path: ['ca'], value: ca }],
    });
    expect(await page('tst')).toContain('a certificate that cannot be read');
  });
  it('is a PDF as well, made by Chromium: the same chapters, on numbered pages with site and revision', async () => {
    const answer = await get('/api/sites/lr/files/book.pdf');
    expect([answer.status, answer.headers.get('content-type')]).toEqual([200, 'application/pdf']);
    const file = join(dir, 'lr.pdf');
    writeFileSync(file, Buffer.from(await answer.arrayBuffer()));
    const info = execFileSync('pdfinfo', [file], { encoding: 'utf8' });
    const pages = Number(/^Pages:\s+(\d+)$/m.exec(info)?.[1]);
    expect(info).toMatch(/^Page size:\s+59\d(\.\d+)? x 84\d(\.\d+)? pts \(A4\)$/m);
    const text = execFileSync('pdftotext', ['-layout', file, '-'], { encoding: 'utf8' });
    expect(text).toContain('extension 4417');
    const of = /revision (\d+) of the estate/.exec(text)?.[1];
    const sheets = text.split('\f').filter((s) => s.trim());
    expect(sheets).toHaveLength(pages);
    for (const [n, sheet] of sheets.entries()) {
      expect(sheet).toMatch(new RegExp(`\\b${n + 1} ?/ ?${pages}\\b`));
      expect(sheet).toMatch(new RegExp(`Lantern Rock · .* · revision ${of}`));
    }
  });
  it('is asked for by whoever reads, and refused where there is no such site or no browser for the PDF', async () => {
    expect((await get('/api/sites/nowhere/files/book.html')).status).toBe(404);
    expect((await fetch(`${c.url}/api/sites/lr/files/book.html`)).status).toBe(401);
    const reader = await i.as('reader');
    expect((await fetch(`${c.url}/api/sites/lr/files/book.html`, { headers: { cookie: reader.cookie } })).status).toBe(200);
    i.running.ctx.config.chromium = 'no-such-browser';
    const a = await c.call('GET', '/api/sites/lr/files/book.pdf');
    expect([a.status, a.body.message]).toEqual([409, 'Chromium is not installed at the server, and it makes the PDF.']);
    i.running.ctx.config.chromium = '/bin/false';
    expect((await c.call('GET', '/api/sites/lr/files/book.pdf')).body.message).toBe('Chromium made no PDF: it said nothing.');
    delete i.running.ctx.config.chromium;
  });
});
