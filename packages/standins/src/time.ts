import { createSocket, type Socket } from 'node:dgram';

/** Seconds from 1 January 1900 to 1 January 1970 (RFC 5905, figure 4). */
const from1900 = 2_208_988_800;

/** A time server (RFC 5905 §7.3): it answers what clients ask (mode 3) as a server (mode 4), with its own clock, which may be off. */
export class TimeStandin {
  private socket: Socket | undefined;
  constructor(
    private readonly offBy: () => number = () => 0,
    private readonly stratum = 2,
    private readonly silent: () => boolean = () => false,
  ) {}

  async listen(host: string, port: number): Promise<void> {
    const socket = createSocket('udp4');
    socket.on('message', (asked, from) => {
      if (asked.length < 48 || (asked.readUInt8(0) & 7) !== 3 || this.silent()) return;
      const answer = Buffer.alloc(48);
      // No leap second, version as asked, mode 4; a clock without a source says so with leap 3.
      answer.writeUInt8(((this.stratum === 16 ? 3 : 0) << 6) | (asked.readUInt8(0) & 0x38) | 4, 0);
      answer.writeUInt8(this.stratum === 16 ? 0 : this.stratum, 1);
      answer.writeUInt8(asked.readUInt8(2), 2);
      answer.writeInt8(-20, 3);
      const now = this.clock();
      now.copy(answer, 16);
      // Origin: the time at which the client says that it sent.
      asked.copy(answer, 24, 40, 48);
      now.copy(answer, 32);
      this.clock().copy(answer, 40);
      socket.send(answer, from.port, from.address);
    });
    await new Promise<void>((done, fail) => {
      socket.once('error', fail);
      socket.bind(port, host, done);
    });
    this.socket = socket;
  }

  private clock(): Buffer {
    const ms = Date.now() + this.offBy();
    const out = Buffer.alloc(8);
    out.writeUInt32BE(Math.floor(ms / 1000) + from1900, 0);
    out.writeUInt32BE(Math.floor(((ms % 1000) / 1000) * 4294967296), 4);
    return out;
  }

  close(): void {
    this.socket?.close();
  }
}
