import { createSocket } from 'node:dgram';
import { createServer, type Socket } from 'node:net';
import type { ServedRecord } from '@praesidor/core/model';
import { inZone } from '@praesidor/core/naming';
import {
  classCode,
  decode,
  encode,
  type Message,
  message,
  opcode,
  rr,
  type Rr,
  sign,
  type TsigKey,
  verify,
} from '@praesidor/protocols/dns';
import type { Faults } from './faults.ts';

export interface DnsZone {
  name: string;
  serial: number;
  soa: string;
  records: ServedRecord[];
}

/** An authoritative server for the zones of the proving ground: queries, signed updates and signed transfers. */
export class DnsStandin {
  constructor(
    readonly zones: DnsZone[],
    private readonly keys: TsigKey[],
    private readonly faults: Faults,
    private readonly changed: () => void,
  ) {}
  private readonly closers: (() => void)[] = [];

  async listen(host: string, port: number): Promise<void> {
    const udp = createSocket('udp4');
    udp.on('message', (wire, from) => {
      const out = this.answer(wire, true);
      if (out) udp.send(out, from.port, from.address);
    });
    await new Promise<void>((done, fail) => {
      udp.once('error', fail);
      udp.bind(port, host, done);
    });
    const tcp = createServer((socket) => this.serve(socket));
    await new Promise<void>((done, fail) => {
      tcp.once('error', fail);
      tcp.listen(port, host, done);
    });
    this.closers.push(
      () => udp.close(),
      () => tcp.close(),
    );
  }

  close(): void {
    for (const c of this.closers) c();
  }

  private serve(socket: Socket): void {
    let buffer: Buffer = Buffer.alloc(0);
    socket.on('error', () => socket.destroy());
    socket.on('data', (chunk) => {
      buffer = Buffer.concat([buffer, chunk]);
      while (buffer.length >= 2 && buffer.length >= 2 + buffer.readUInt16BE(0)) {
        const length = buffer.readUInt16BE(0);
        const out = this.answer(Buffer.from(buffer.subarray(2, 2 + length)), false);
        buffer = buffer.subarray(2 + length);
        if (out) {
          const head = Buffer.alloc(2);
          head.writeUInt16BE(out.length);
          socket.write(Buffer.concat([head, out]));
        }
      }
    });
  }

  private answer(wire: Buffer, datagram: boolean): Buffer | undefined {
    let m: Message;
    try {
      m = decode(wire);
    } catch {
      return undefined;
    }
    if (m.response || this.faults.has('dns-silent', 'dns')) return undefined;
    const q = m.questions[0];
    const reply = (fields: Partial<Message>) =>
      message({ ...m, response: true, authoritative: true, answers: [], authorities: [], additionals: [], ...fields });
    if (!q) return encode(reply({ rcode: 1 }));
    if (m.opcode === opcode.update || q.type === 'AXFR') {
      const seconds = Math.floor(Date.now() / 1000);
      const checked = verify(wire, this.keys, seconds);
      if (!checked.ok) return encode(reply({ rcode: 9 }));
      const key = this.keys.find((k) => m.additionals.at(-1)?.name === k.name.toLowerCase()) as TsigKey;
      const body = m.opcode === opcode.update ? reply({ rcode: this.update(checked.message) }) : reply(this.transfer(q.name));
      return sign(encode(body), key, seconds, checked.mac).wire;
    }
    const out = encode(reply(this.query(q.name, q.type)));
    return datagram && out.length > 1232 ? encode(reply({ truncated: true })) : out;
  }

  private zoneOf = (name: string) =>
    this.zones.filter((z) => inZone(name, z.name)).sort((a, b) => b.name.length - a.name.length)[0];

  private query(name: string, type: string): Partial<Message> {
    const zone = this.zoneOf(name);
    if (!zone) return { rcode: 5, authoritative: false };
    if (type === 'SOA' && name === zone.name) return { answers: [this.soa(zone)] };
    const at = (owner: string) => zone.records.filter((r) => r.name === owner);
    let found = at(name);
    for (let owner = name; !found.length && owner !== zone.name && owner.includes('.'); ) {
      owner = owner.slice(owner.indexOf('.') + 1);
      found = at(`*.${owner}`);
    }
    const answers = found.filter((r) => r.type === type || r.type === 'CNAME').map((r) => rr(name, r.type, r.ttl, r.value));
    return found.length ? { answers } : { rcode: 3 };
  }

  private soa = (z: DnsZone): Rr => rr(z.name, 'SOA', 3600, z.soa.replace('SERIAL', String(z.serial)));

  private transfer(name: string): Partial<Message> {
    const zone = this.zones.find((z) => z.name === name);
    return zone
      ? { answers: [this.soa(zone), ...zone.records.map((r) => rr(r.name, r.type, r.ttl, r.value)), this.soa(zone)] }
      : { rcode: 9 };
  }

  /** RFC 2136 §3.2: what the sender takes for served must be served. */
  private unmet(zone: DnsZone, needs: readonly Rr[]): number {
    const values = new Map<string, string[]>();
    for (const n of needs) {
      const set = zone.records.filter((r) => r.name === n.name && (r.type === n.type || n.type === 'ANY'));
      if (n.class === classCode.NONE && set.length) return 7;
      if (n.class === classCode.ANY && !set.length) return 8;
      if (n.class === classCode.IN) {
        const key = `${n.name} ${n.type}`;
        values.set(key, [...(values.get(key) ?? []), n.value ?? '']);
      }
    }
    for (const [key, want] of values) {
      const have = zone.records.filter((r) => `${r.name} ${r.type}` === key).map((r) => r.value);
      if (have.sort().join('\n') !== want.sort().join('\n')) return 8;
    }
    return 0;
  }

  /** RFC 2136 §3.4.2: deletions of a set, of one record, and additions; NOTZONE for names outside. */
  private update(m: Message): number {
    const zone = this.zones.find((z) => z.name === m.questions[0]?.name);
    if (!zone) return 9;
    if (this.faults.has('dns-refuses', zone.name) || this.faults.has('dns-refuses', 'dns')) return 5;
    if (m.authorities.some((u) => !inZone(u.name, zone.name))) return 10;
    const unmet = this.unmet(zone, m.answers);
    if (unmet) return unmet;
    let records = zone.records;
    for (const u of m.authorities) {
      if (u.class === classCode.ANY)
        records = records.filter((r) => !(r.name === u.name && (u.type === 'ANY' || r.type === u.type)));
      else if (u.class === classCode.NONE)
        records = records.filter((r) => !(r.name === u.name && r.type === u.type && r.value === u.value));
      else if (u.value !== undefined) {
        const same = (r: ServedRecord) => r.name === u.name && r.type === u.type;
        // A record that is added again brings its time to its whole set (RFC 2136 §3.4.2.2).
        records = records.map((r) => (same(r) ? { ...r, ttl: u.ttl } : r));
        if (!records.some((r) => same(r) && r.value === u.value))
          records = [...records, { name: u.name, type: u.type, ttl: u.ttl, value: u.value }];
      }
    }
    zone.records = records;
    zone.serial = (zone.serial + 1) >>> 0;
    this.changed();
    return 0;
  }
}
