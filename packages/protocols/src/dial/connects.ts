import { connect } from 'node:net';
import { ProtocolError } from './errors.ts';
import type { Exits, Purpose } from './exits.ts';

/**
 * Whether somebody takes connections there (TCP). Nothing is sent. @throws ProtocolError `refused`, `silent` or `kept-back`
 */
export async function connects(exits: Exits, purpose: Purpose, address: string, port: number, timeoutMs = 3000): Promise<void> {
  const where = `${address}:${port}`;
  const at = await exits.to(purpose, address, address, port);
  await new Promise<void>((done, fail) => {
    const socket = connect({ host: at.host, port: at.port });
    const timer = setTimeout(() => socket.destroy(new ProtocolError('silent', where, 'it does not answer')), timeoutMs);
    socket.once('connect', () => {
      clearTimeout(timer);
      socket.destroy();
      done();
    });
    socket.once('error', (e) => {
      clearTimeout(timer);
      fail(ProtocolError.from(e, where));
    });
  });
}
