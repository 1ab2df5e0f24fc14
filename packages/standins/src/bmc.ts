import { createServer, type Server } from 'node:https';
import type { IncomingMessage, ServerResponse } from 'node:http';
import { actOn } from './bmc-acts.ts';
import { documents } from './bmc-documents.ts';
import type { Pair } from './certificates.ts';
import type { Faults } from './faults.ts';
import type { Machine } from './machine.ts';

/** Accounts of a controller are locked after so many wrong passwords, for a while: as the real ones do. */
const lockAfter = 3;

/** The management controller of one machine: Redfish over HTTPS with a certificate of its own. */
export function bmcServer(machine: Machine, pair: Pair, other: Pair, faults: Faults): Server {
  const { name } = machine.hardware;
  const lock = { failures: 0 };
  let answers = 0;
  const server = createServer({ key: pair.key, cert: pair.cert }, (req, res) => {
    if (faults.has('bmc-silent', name)) return;
    if (faults.has('bmc-dies', name) && ++answers > 2) {
      req.socket.destroy();
      return;
    }
    const late = faults.has('bmc-slow', name) ? 30_000 : 0;
    const go = () => void answer(machine, faults, lock, req, res).catch(() => res.writeHead(500).end());
    if (late) {
      const timer = setTimeout(go, late);
      res.once('close', () => clearTimeout(timer));
    } else go();
  });
  const shown = () => {
    const p = faults.has('bmc-certificate', name) ? other : pair;
    server.setSecureContext({ key: p.key, cert: p.cert });
  };
  faults.onChange(shown);
  faults.onChange(() => {
    if (!faults.has('bmc-dies', name)) answers = 0;
  });
  shown();
  return server;
}

async function answer(
  m: Machine,
  faults: Faults,
  lock: { failures: number },
  req: IncomingMessage,
  res: ServerResponse,
): Promise<void> {
  const send = (status: number, body?: unknown, headers: Record<string, string> = {}) =>
    void res
      .writeHead(status, { 'content-type': 'application/json', 'odata-version': '4.0', ...headers })
      .end(body === undefined ? undefined : JSON.stringify(body));
  const path = (req.url ?? '').replace(/\/$/, '');
  const { name, bmc } = m.hardware;
  if (path === '/redfish/v1')
    return send(200, {
      '@odata.id': '/redfish/v1',
      RedfishVersion: '1.15.0',
      Systems: { '@odata.id': '/redfish/v1/Systems' },
      Chassis: { '@odata.id': '/redfish/v1/Chassis' },
      Managers: { '@odata.id': '/redfish/v1/Managers' },
      UpdateService: { '@odata.id': '/redfish/v1/UpdateService' },
    });
  const want = `Basic ${Buffer.from(`${bmc?.user}:${bmc?.password}`).toString('base64')}`;
  if (lock.failures >= lockAfter) return send(403, { error: { message: 'the account is locked' } });
  if (req.headers.authorization !== want || faults.has('bmc-password', name)) {
    // A planted refusal is the controller's own fault and locks nobody out; a wrong password does.
    if (!faults.has('bmc-password', name) && ++lock.failures === lockAfter)
      m.note('account locked after wrong passwords', 'Warning');
    return send(401, { error: { code: 'Base.1.8.InsufficientPrivilege', message: 'not authorised' } });
  }
  lock.failures = 0;
  if (faults.has('bmc-nonsense', name)) return send(200, { Members: 'many', SerialNumber: { is: 7 } });
  if (faults.has('bmc-half', name) && /\/(Storage|FirmwareInventory)$/.test(path))
    return send(500, { error: { message: 'internal error' } });
  if (req.method === 'GET') {
    const doc = documents(m)[path];
    return doc ? send(200, { '@odata.id': path, ...doc }) : send(404, { error: { message: 'no such resource' } });
  }
  let text = '';
  for await (const chunk of req) {
    text += String(chunk);
    if (text.length > 65536) return send(413);
  }
  const done = actOn(m, req.method ?? '', path, JSON.parse(text || '{}') as never);
  if (done.task) {
    const place = `/redfish/v1/TaskService/Tasks/${done.task.id}`;
    return send(202, { '@odata.id': place, TaskState: 'New' }, { location: place });
  }
  send(done.status, done.message ? { error: { message: done.message } } : done.status === 204 ? undefined : {});
}
