import { afterAll, beforeAll, describe, expect, it } from 'vitest';
import type { NewToken, ProposalRow, RecordedAct, WaitingRuns, WholeAct, WholeProposal } from '@praesidor/contract';
import { Client, eventually, Installation, prepare } from './installation.ts';

/** Changes kept as drafts, what others do meanwhile, and sites and teams where a second person approves. */
const i = new Installation();
let warden: Client;
let rosa: Client;
let joao: Client;
let vera: Client;
const password = 'night-watch-at-sea';

async function person(login: string, more: object): Promise<Client> {
  await warden.good('POST', '/api/accounts', { login, name: login, password, ...more });
  const c = new Client(i.config.publicUrl);
  expect(await c.signIn(login, password)).toBe(200);
  return c;
}
const set = (kind: string, key: string, path: (string | number)[], value: unknown) => ({ op: 'set', kind, key, path, value });
const mtu = (n: number, key = 'aft-net') => set('Network', key, ['mtu'], n);
const network = (name: string, site: string, more: object = {}) => ({
  op: 'put',
  doc: { apiVersion: 'praesidor/v1', kind: 'Network', name, site, purpose: 'machine', ...more },
});
const propose = async (c: Client, edits: unknown[], title = 'larger packets', more: object = {}) =>
  (await c.good<{ id: number }>('POST', '/api/proposals', { title, edits, ...more })).id;
const look = (id: number, c = rosa) => c.good<WholeProposal>('GET', `/api/proposals/${id}`);
const doing = async (c: Client, id: number, act: string, body: object = {}) => {
  const a = await c.call<{ act?: number }>('POST', `/api/proposals/${id}/${act}`, body);
  return { status: a.status, code: a.body.code, said: a.body.message, act: a.body.act };
};
/** Approves or makes it as it is at this moment. */
const asSeen = async (c: Client, id: number, act: 'approve' | 'make') =>
  doing(c, id, act, { digest: (await look(id, c)).digest });
const edit = async (c: Client, edits: unknown[]) => {
  const a = await c.call<{ act: number }>('POST', '/api/edits', { why: 'tried', edits });
  return { status: a.status, code: a.body.code, said: a.body.message, act: a.body.act };
};
const mtuOf = async (key = 'aft-net') =>
  (await rosa.good<{ doc: { mtu: number } }>('GET', `/api/documents/Network/${key}`)).doc.mtu;

beforeAll(async () => {
  await i.start({ timeoutSeconds: 30 });
  warden = await i.as('warden');
  await warden.good('POST', '/api/edits', {
    why: 'a site with two networks',
    edits: [
      {
        op: 'put',
        doc: {
          apiVersion: 'praesidor/v1',
          kind: 'Site',
          name: 'aft',
          title: 'Aft deck',
          form: 'edge',
          reach: 'thin',
          domain: 'aft.kestrelferries.example',
        },
      },
      network('aft-net', 'aft', { prefix: '10.62.80.0/24', gateway: '10.62.80.1', mtu: 1500, vlan: 80 }),
      network('aft-two', 'aft', { prefix: '10.62.81.0/24', gateway: '10.62.81.1', mtu: 1500, vlan: 81 }),
    ],
  });
  rosa = await person('rosa', { role: 'builder' });
  joao = await person('joao', { role: 'builder' });
  vera = await person('vera', { role: 'planner' });
});
afterAll(() => i.stop());

describe('a proposal', () => {
  it('is kept as a draft that others see, changes nothing, and is made as one act that can be undone', async () => {
    const id = await propose(rosa, [mtu(9000), mtu(9000, 'aft-two')], 'jumbo frames aft', { why: 'the storage wants them' });
    expect(await mtuOf()).toBe(1500);
    const seen = await look(id, vera);
    expect(seen).toMatchObject({
      title: 'jumbo frames aft',
      why: 'the storage wants them',
      state: 'open',
      by: 'rosa',
      documents: 2,
      sites: ['aft'],
      asks: null,
      standing: 0,
    });
    expect(seen.changes.map((c) => [c.key, c.what, c.fields])).toEqual([
      ['aft-net', 'changed', [{ path: ['mtu'], before: 1500, after: 9000 }]],
      ['aft-two', 'changed', [{ path: ['mtu'], before: 1500, after: 9000 }]],
    ]);
    expect(await doing(vera, id, 'comments', { text: 'The switch takes 9216.\nFine.' })).toMatchObject({ status: 200 });
    expect((await look(id)).said).toMatchObject([{ by: 'vera', text: 'The switch takes 9216.\nFine.' }]);
    const made = await asSeen(joao, id, 'make');
    expect(made.status).toBe(200);
    expect([await mtuOf(), await mtuOf('aft-two')]).toEqual([9000, 9000]);
    const act = await rosa.good<WholeAct>('GET', `/api/acts/${made.act}`);
    expect([act.who, act.act, act.detail]).toEqual([
      'joao',
      `made proposal ${id}: jumbo frames aft`,
      { proposal: id, writtenBy: ['rosa'], approvedBy: [] },
    ]);
    expect(await asSeen(joao, id, 'make')).toMatchObject({ status: 409, said: expect.stringContaining('was made by joao') });
    await rosa.good('POST', `/api/acts/${made.act}/undo`);
    expect([await mtuOf(), await mtuOf('aft-two')]).toEqual([1500, 1500]);
  });

  it('goes along when the estate moves on, and shows what two set otherwise, with a choice for each', async () => {
    const id = await propose(rosa, [mtu(9000), set('Network', 'aft-net', ['vlan'], 180), mtu(9000, 'aft-two')]);
    await edit(joao, [set('Network', 'aft-net', ['gateway'], '10.62.80.254'), mtu(4000), mtu(9000, 'aft-two')]);
    const seen = await look(id);
    expect(seen.standing).toBe(1);
    expect(seen.changes).toMatchObject([
      { key: 'aft-net', collisions: [{ path: ['mtu'], before: 1500, mine: 9000, theirs: 4000 }] },
    ]);
    expect(seen.changes[0]?.fields).toEqual([{ path: ['vlan'], before: 80, after: 180 }]);
    expect(await asSeen(joao, id, 'make')).toMatchObject({ status: 409, code: 'conflict' });
    expect(await mtuOf()).toBe(4000);
    const about = { kind: 'Network', key: 'aft-net', path: ['mtu'], keep: 'proposed' };
    expect(await doing(rosa, id, 'decide', about)).toMatchObject({ status: 200 });
    expect(await doing(rosa, id, 'decide', about)).toMatchObject({ status: 404 });
    expect((await asSeen(rosa, id, 'make')).status).toBe(200);
    const { doc } = await rosa.good<{ doc: object }>('GET', '/api/documents/Network/aft-net');
    expect(doc).toMatchObject({ mtu: 9000, vlan: 180, gateway: '10.62.80.254' });
    await edit(rosa, [
      mtu(1500),
      mtu(1500, 'aft-two'),
      set('Network', 'aft-net', ['vlan'], 80),
      set('Network', 'aft-net', ['gateway'], '10.62.80.1'),
    ]);
  });

  it('takes more changes from others, also of the same document, and tells what it has otherwise already', async () => {
    const id = await propose(rosa, [mtu(9000)]);
    expect(await doing(joao, id, 'changes', { edits: [set('Network', 'aft-net', ['vlan'], 82)] })).toMatchObject({ status: 200 });
    const [one] = (await look(id)).changes;
    expect(one?.fields.map((f) => [f.path.join('.'), f.after])).toEqual([
      ['mtu', 9000],
      ['vlan', 82],
    ]);
    expect((await look(id)).writers).toEqual(['rosa', 'joao']);
    expect(await doing(joao, id, 'changes', { edits: [mtu(8000)] })).toMatchObject({
      status: 409,
      said: `Proposal ${id} has mtu of Network aft-net otherwise already.`,
    });
    expect(await doing(joao, id, 'leave-out', { kind: 'Network', key: 'aft-net' })).toMatchObject({ status: 409 });
    expect(await doing(vera, id, 'withdraw')).toMatchObject({ status: 403 });
    expect(await doing(joao, id, 'withdraw')).toMatchObject({ status: 200 });
    expect(await doing(joao, id, 'comments', { text: 'too late' })).toMatchObject({ status: 409 });
    expect(await mtuOf()).toBe(1500);
  });

  it('is made whole or not at all: what its maker may not do, what the database refuses', async () => {
    const beyond = await propose(vera, [mtu(9000), set('Site', 'aft', ['title'], 'Aft')]);
    expect(await asSeen(vera, beyond, 'make')).toMatchObject({ status: 403, code: 'not-allowed' });
    expect(await asSeen(joao, beyond, 'make')).toMatchObject({ status: 403 });
    expect(await mtuOf()).toBe(1500);
    expect((await asSeen(warden, beyond, 'make')).status).toBe(200);
    expect(await mtuOf()).toBe(9000);
    await edit(joao, [mtu(1500)]);
    const used = await propose(rosa, [mtu(9000), { op: 'drop', kind: 'Network', key: 'lr-machine' }]);
    expect(await asSeen(rosa, used, 'make')).toMatchObject({ status: 409, code: 'in-use' });
    expect([await mtuOf(), (await look(used)).state]).toEqual([1500, 'open']);
  });

  it('begins with a text, with documents as somebody saw them, or with an act that it takes back; with one of them', async () => {
    const { doc } = await rosa.good<{ doc: { mtu: number } }>('GET', '/api/documents/Network/aft-net');
    // Somebody else changes another field after the document was read.
    await edit(joao, [set('Network', 'aft-net', ['gateway'], '10.62.80.9')]);
    const id = await propose(rosa, [{ op: 'put', doc: { ...doc, mtu: 8000 } }], 'as I saw it', { base: [doc] });
    expect((await look(id)).changes[0]?.fields).toEqual([{ path: ['mtu'], before: 1500, after: 8000 }]);
    const text = JSON.stringify({ ...doc, name: 'aft-four', prefix: '10.62.82.0/24', gateway: '10.62.82.1', vlan: 84 });
    const from = await rosa.good<{ id: number }>('POST', '/api/proposals', { title: 'one more', text });
    expect((await look(from.id)).changes).toMatchObject([{ key: 'aft-four', what: 'added' }]);
    const { act } = await edit(joao, [set('Network', 'aft-net', ['gateway'], '10.62.80.1')]);
    const back = await rosa.good<{ id: number }>('POST', '/api/proposals', { title: 'not that gateway', undoes: act });
    expect((await look(back.id)).changes[0]?.fields).toEqual([{ path: ['gateway'], before: '10.62.80.1', after: '10.62.80.9' }]);
    for (const body of [{}, { edits: [mtu(1)], text }, { text: 'no: document' }, { edits: [mtu(1500)] }, { undoes: 999_999 }])
      expect((await rosa.call('POST', '/api/proposals', { title: 'wrong', ...body })).status).toBeGreaterThanOrEqual(400);
    for (const { id } of (await rosa.good<{ proposals: ProposalRow[] }>('GET', '/api/proposals')).proposals)
      await doing(warden, id, 'withdraw');
  });

  it('is made once by two who make it at one moment, and not at all as somebody saw it before', async () => {
    const id = await propose(rosa, [mtu(7000)]);
    const { digest } = await look(id);
    const both = await Promise.all([doing(rosa, id, 'make', { digest }), doing(joao, id, 'make', { digest })]);
    expect(both.map((b) => b.status).sort()).toEqual([200, 409]);
    const next = await propose(rosa, [mtu(1500)]);
    const before = (await look(next)).digest;
    await doing(joao, next, 'changes', { edits: [mtu(1500, 'aft-two'), set('Network', 'aft-two', ['vlan'], 91)] });
    expect(await doing(rosa, next, 'make', { digest: before })).toMatchObject({
      status: 409,
      said: `Proposal ${next} does something else by now than what was seen.`,
    });
    await doing(joao, next, 'leave-out', { kind: 'Network', key: 'aft-two' });
    expect((await asSeen(rosa, next, 'make')).status).toBe(200);
  });
});

describe('four eyes', () => {
  beforeAll(async () => {
    await edit(warden, [set('Site', 'aft', ['fourEyes'], true)]);
  });

  it('keep every door shut to one person alone, a warden too', async () => {
    for (const c of [vera, rosa, warden])
      expect(await edit(c, [mtu(9000)])).toMatchObject({
        status: 409,
        code: 'four-eyes',
        said: 'The site aft has each change approved by a second person; this one changes Network aft-net.',
      });
    const text = JSON.stringify({
      ...(await rosa.good<{ doc: object }>('GET', '/api/documents/Network/aft-net')).doc,
      mtu: 9000,
    });
    const doors: [string, string, object][] = [
      ['POST', '/api/import', { text }],
      ['POST', '/api/edits', { why: 'not any more', edits: [set('Site', 'aft', ['fourEyes'], undefined)] }],
      ['POST', '/api/edits', { why: 'away', edits: [{ op: 'drop', kind: 'Network', key: 'aft-two' }] }],
      [
        'POST',
        '/api/edits',
        {
          why: 'an address',
          edits: [
            {
              op: 'put',
              doc: {
                apiVersion: 'praesidor/v1',
                kind: 'Reservation',
                network: 'aft-net',
                address: '10.62.80.40',
                owner: { kind: 'hand', name: 'Rosa' },
                origin: 'by-hand',
                since: '2026-11-27T10:00:00Z',
              },
            },
          ],
        },
      ],
      ['POST', '/api/edits', { why: 'moved', edits: [set('Network', 'aft-two', ['site'], 'lr')] }],
      [
        'POST',
        '/api/addresses/reserve',
        { network: 'aft-net', owner: { kind: 'hand', name: 'Rosa' }, name: 'tap.aft.kestrelferries.example' },
      ],
    ];
    for (const [method, path, body] of doors)
      expect([path, (await warden.call(method, path, body)).body.code]).toEqual([path, 'four-eyes']);
    // What was done before they were asked for is not undone by one person either.
    const [last] = (await rosa.good<{ acts: RecordedAct[] }>('GET', '/api/acts?text=Network%20aft-net')).acts.filter(
      (a) => a.canUndo,
    );
    expect((await warden.call('POST', `/api/acts/${last?.id}/undo`)).body.code).toBe('four-eyes');
    const told = await rosa.good<{ refused: string | null }>('POST', '/api/difference', { text });
    expect(told.refused).toContain('approved by a second person');
    // Elsewhere nothing is asked.
    expect((await edit(vera, [set('Network', 'lr-machine', ['mtu'], 1500)])).code).not.toBe('four-eyes');
    expect(await mtuOf()).toBe(1500);
  });

  it('let a proposal through that somebody else has approved; the record names both', async () => {
    const id = await propose(rosa, [mtu(9000)]);
    expect((await look(id)).asks).toBe('the site aft');
    expect(await asSeen(rosa, id, 'make')).toMatchObject({ status: 409, code: 'four-eyes' });
    expect(await asSeen(rosa, id, 'approve')).toMatchObject({ status: 403, said: `rosa wrote proposal ${id}.` });
    expect((await asSeen(joao, id, 'approve')).status).toBe(200);
    expect((await look(id)).approvals).toMatchObject([{ by: 'joao', holds: true }]);
    const made = await asSeen(rosa, id, 'make');
    expect(made.status).toBe(200);
    expect(await mtuOf()).toBe(9000);
    const act = await rosa.good<WholeAct>('GET', `/api/acts/${made.act}`);
    expect([act.who, act.detail]).toEqual(['rosa', { proposal: id, writtenBy: ['rosa'], approvedBy: ['joao'] }]);
    const acts = await i.query<{ who: string; act: string; about: string | null; site: string | null }>(
      "select who, act, about, site from audit where detail->>'proposal' = $1 order by id",
      [String(id)],
    );
    // Whoever is told of what waits for a second person is told of it.
    expect(acts[0]).toMatchObject({ about: 'approval', site: 'aft' });
    expect(acts.map((a) => `${a.who} ${a.act}`)).toEqual([
      'rosa wrote a proposal',
      'joao approved a proposal',
      `rosa made proposal ${id}: larger packets`,
    ]);
  });

  it('see that it was changed after it was approved, by hand or because the estate moved under it', async () => {
    const id = await propose(rosa, [mtu(1400)]);
    await asSeen(joao, id, 'approve');
    // Another writer puts something in: the approval is gone, and the writer is no second person any more.
    await doing(vera, id, 'changes', { edits: [set('Network', 'aft-net', ['vlan'], 88)] });
    expect((await look(id)).approvals).toEqual([]);
    expect(await asSeen(rosa, id, 'make')).toMatchObject({ code: 'four-eyes' });
    expect(await asSeen(vera, id, 'approve')).toMatchObject({ status: 403, said: `vera wrote some of proposal ${id}.` });
    const { digest } = await look(id);
    await asSeen(joao, id, 'approve');
    // What was approved is approved as it was seen: another digest is refused, and one that was taken from elsewhere too.
    expect(await doing(joao, id, 'approve', { digest: digest.replace(/^./, (c) => (c === '0' ? '1' : '0')) })).toMatchObject({
      status: 409,
    });
    // The database is told otherwise: the approval is of what it was.
    await i.query("update proposal set changes = jsonb_set(changes, '{0,after,mtu}', '1300') where id = $1", [id]);
    const listed = async () =>
      (await rosa.good<{ proposals: ProposalRow[] }>('GET', '/api/proposals')).proposals.find((p) => p.id === id)?.approvals;
    expect(await listed()).toMatchObject([{ by: 'joao', holds: false }]);
    expect((await look(id)).approvals).toMatchObject([{ by: 'joao', holds: false }]);
    expect(await asSeen(rosa, id, 'make')).toMatchObject({ code: 'four-eyes' });
    expect(await mtuOf()).toBe(9000);
    await doing(rosa, id, 'withdraw');
  });

  it('keep an approval while others change something else of the same document', async () => {
    const id = await propose(rosa, [mtu(1600)]);
    await asSeen(joao, id, 'approve');
    const other = await propose(rosa, [set('Network', 'aft-net', ['vlan'], 86)]);
    await asSeen(joao, other, 'approve');
    expect((await asSeen(rosa, other, 'make')).status).toBe(200);
    expect((await look(id)).approvals).toMatchObject([{ by: 'joao', holds: true }]);
    expect((await asSeen(rosa, id, 'make')).status).toBe(200);
    expect(await mtuOf()).toBe(1600);
  });

  it('do not count somebody who may not do it, does not any more, or took it back; a token is nobody’s second person', async () => {
    const id = await propose(rosa, [set('Site', 'aft', ['fourEyes'], undefined)]);
    // Sites are a warden’s.
    expect(await asSeen(joao, id, 'approve')).toMatchObject({ status: 403 });
    const olga = await person('olga', { role: 'warden' });
    await asSeen(olga, id, 'approve');
    await doing(olga, id, 'take-approval-back');
    expect(await asSeen(warden, id, 'make')).toMatchObject({ code: 'four-eyes' });
    await asSeen(olga, id, 'approve');
    await warden.good('PATCH', '/api/accounts/olga', { disabled: true });
    expect(await asSeen(warden, id, 'make')).toMatchObject({ code: 'four-eyes' });
    await warden.good('PATCH', '/api/accounts/olga', { disabled: false, role: 'planner' });
    expect(await asSeen(warden, id, 'make')).toMatchObject({ code: 'four-eyes' });
    const { digest } = await look(id);
    expect(await doing(warden, id, 'make', { digest })).toMatchObject({ code: 'four-eyes' });
    const acts = ['plan.read', 'proposals.write', 'plan.edit'];
    const mine = (body: object) =>
      joao.call<NewToken>('POST', '/api/me/tokens', { name: `t-${Math.random()}`, days: 1, acts, ...body });
    expect((await mine({ acts: [...acts, 'proposals.approve'] })).status).toBe(403);
    const { token } = (await mine({})).body;
    const by = async (secret: string, path: string, body: object) => {
      const r = await fetch(`${i.config.publicUrl}${path}`, {
        method: 'POST',
        headers: { authorization: `Bearer ${secret}`, 'content-type': 'application/json' },
        body: JSON.stringify(body),
      });
      return { status: r.status, body: (await r.json()) as { id: number; message?: string } };
    };
    const other = await propose(rosa, [mtu(1700)]);
    const seen = (await look(other)).digest;
    expect((await by(token, `/api/proposals/${other}/approve`, { digest: seen })).body.message).toContain(
      'was not made to approve',
    );
    // What a token of somebody proposes, that person has written.
    const nightly = await by(token, '/api/proposals', { title: 'by night', edits: [mtu(1800)] });
    expect(await asSeen(joao, nightly.body.id, 'approve')).toMatchObject({ said: `joao wrote proposal ${nightly.body.id}.` });
    const kept = (await mine({ sites: ['lr'] })).body.token;
    expect((await by(kept, '/api/proposals', { title: 'elsewhere', edits: [mtu(1900)] })).status).toBe(403);
    expect((await by(kept, `/api/proposals/${other}/withdraw`, {})).status).toBe(403);
    await doing(rosa, id, 'withdraw');
  });
});

describe('a change of a cluster whose team asks for four eyes', () => {
  interface Seen {
    run: number;
    approval: string | null;
    approvedBy: string | null;
    createdBy: string;
    status: { state: string; begun?: string };
  }
  const build = (number: number) => rosa.good<Seen>('GET', `/api/builds/plover/${number}`);
  const begin = async () => (await rosa.good<{ number: number }>('POST', '/api/builds', { charter: 'plover' })).number;
  const act = async (c: Client, path: string, body: object = {}) => {
    const a = await c.call('POST', path, body);
    return { status: a.status, code: a.body.code, said: a.body.message };
  };
  const waiting = async () => (await rosa.good<WaitingRuns>('GET', '/api/approvals')).runs;

  beforeAll(async () => {
    await prepare(warden);
    await edit(warden, [set('Team', 'vessel-traffic', ['fourEyes'], true)]);
    for (const login of ['rosa', 'joao']) await warden.good('PATCH', `/api/accounts/${login}`, { teams: ['vessel-traffic'] });
  });

  it('waits until somebody else has approved it as it is, and the record names both', async () => {
    const number = await begin();
    const { run, status, approval } = await build(number);
    expect([status.state, approval]).toEqual(['queued', 'asked']);
    expect(await waiting()).toMatchObject([{ id: run, charter: 'plover', number, by: 'rosa', title: 'Build plover' }]);
    expect(await act(rosa, `/api/approvals/${run}`)).toMatchObject({ status: 403, said: expect.stringContaining('rosa began') });
    // Not in the team, and too little a role.
    await warden.good('PATCH', '/api/accounts/joao', { teams: [] });
    expect(await act(joao, `/api/approvals/${run}`)).toMatchObject({ status: 403 });
    await warden.good('PATCH', '/api/accounts/joao', { teams: ['vessel-traffic'], role: 'planner' });
    expect(await act(joao, `/api/approvals/${run}`)).toMatchObject({ status: 403 });
    await warden.good('PATCH', '/api/accounts/joao', { role: 'builder' });
    // The database itself lets none of them begin, nor be approved by who began it.
    await expect(i.query('update run set admitted = true where id = $1', [run])).rejects.toThrow(/check/);
    await expect(i.query("update run set approval = 'given', approved_by = 'rosa' where id = $1", [run])).rejects.toThrow(
      /check/,
    );
    expect((await build(number)).status.begun).toBeUndefined();
    expect(await act(joao, `/api/approvals/${run}`)).toMatchObject({ status: 200 });
    expect(await act(joao, `/api/approvals/${run}`)).toMatchObject({
      status: 409,
      said: expect.stringContaining('joao has approved'),
    });
    await eventually(async () => (await build(number)).status.begun, 'it begins');
    expect(await build(number)).toMatchObject({ approval: 'given', approvedBy: 'joao', createdBy: 'rosa' });
    const [row] = await i.query<{ who: string; detail: object }>(
      "select who, detail from audit where act = 'approved a build' order by id desc limit 1",
    );
    expect(row).toMatchObject({ who: 'joao', detail: { begunBy: 'rosa', approvedBy: 'joao', number } });
    await act(rosa, `/api/builds/plover/${number}/stop`);
    await eventually(async () => (await build(number)).status.state === 'stopped', 'it stops');
  });

  it('that was stopped before it was approved does not go on; one that would do something else by now neither', async () => {
    const number = await eventually(async () => {
      const a = await rosa.call<{ number: number }>('POST', '/api/builds', { charter: 'plover' });
      return a.status < 400 && a.body.number;
    }, 'another is begun');
    await act(rosa, `/api/builds/plover/${number}/stop`);
    expect(await act(rosa, `/api/builds/plover/${number}/resume`)).toMatchObject({ status: 409, code: 'four-eyes' });
    expect(await waiting()).toEqual([]);
    expect(await act(joao, `/api/approvals/${(await build(number)).run}`)).toMatchObject({ status: 409 });
    const next = await begin();
    // Approved, stopped before any host was touched, and the charter changed in between: that needs two people too, and it is another plan.
    await i.query("update run set approval = 'given', approved_by = 'joao', approved_at = now() where id = $1", [
      (await build(next)).run,
    ]);
    await act(rosa, `/api/builds/plover/${next}/stop`);
    const other = await propose(rosa, [set('Charter', 'plover', ['api', 'port'], 9443)], 'another port');
    await asSeen(joao, other, 'approve');
    expect((await asSeen(rosa, other, 'make')).status).toBe(200);
    expect(await act(rosa, `/api/builds/plover/${next}/resume`)).toMatchObject({
      status: 409,
      code: 'four-eyes',
      said: expect.stringContaining('something else by now than what joao approved'),
    });
  });
});
