import { createServer, type Server } from 'node:http';
import { type Fault, type FaultKind, faultKinds } from './faults.ts';
import type { World } from './world.ts';

/** The door of the proving ground: state, speed, faults. Listens on loopback only. */
export function controlServer(world: World): Server {
  return createServer((req, res) => {
    const send = (status: number, body: unknown) =>
      void res.writeHead(status, { 'content-type': 'application/json' }).end(JSON.stringify(body));
    void (async () => {
      if (req.method === 'GET' && req.url === '/state') return send(200, { ...world.state(), kinds: faultKinds });
      let text = '';
      for await (const chunk of req) {
        text += String(chunk);
        if (text.length > 10_000) return send(413, { message: 'too large' });
      }
      const body = JSON.parse(text || '{}') as {
        speed?: number;
        kind?: string;
        subject?: string;
        zone?: string;
        name?: string;
        type?: string;
        value?: string;
        user?: string;
        key?: string;
        sudo?: string;
        path?: string;
        program?: string;
      };
      // Somebody makes an account on a machine that routes.
      if (req.method === 'POST' && req.url === '/account') {
        const router = world.routers.get(String(body.subject));
        const { user = '', key = '', sudo = '', path = '', program = '' } = body;
        if (!router) return send(400, { message: `no machine ${String(body.subject).slice(0, 60)} routes here` });
        router.give({ name: user, keys: [key], sudo: sudo.replace(/^\S+ /, '') }, { path, text: program });
        return send(200, {});
      }
      if (req.method === 'POST' && req.url === '/speed') {
        try {
          world.clock.setSpeed(Number(body.speed));
          return send(200, {});
        } catch (e) {
          return send(400, { message: (e as Error).message });
        }
      }
      if (req.url === '/faults' && (req.method === 'POST' || req.method === 'DELETE')) {
        if (!Object.hasOwn(faultKinds, body.kind ?? ''))
          return send(400, {
            message: `no fault ${String(body.kind).slice(0, 40)}; there are ${Object.keys(faultKinds).join(', ')}`,
          });
        const fault: Fault = { kind: body.kind as FaultKind, subject: String(body.subject) };
        const on = faultKinds[fault.kind].on;
        const known =
          on === 'machine'
            ? world.everyMachine().some((m) => m.hardware.name === fault.subject)
            : on === 'hypervisor'
              ? world.hypervisors.has(fault.subject)
              : on === 'store'
                ? world.objects.has(fault.subject)
                : on === 'provider'
                  ? world.providers.has(fault.subject)
                  : on === 'registry'
                    ? world.stores.has(fault.subject)
                    : on === 'cluster'
                      ? world.clusters.list().some((c) => c.name === fault.subject)
                      : on === 'time server'
                        ? world.state().timeServers.includes(fault.subject)
                        : fault.subject === 'dns' || world.dns.zones.some((z) => z.name === fault.subject);
        if (!known) return send(400, { message: `there is no ${on} ${fault.subject.slice(0, 60)} here` });
        if (req.method === 'POST') world.faults.plant(fault);
        else world.faults.lift(fault);
        return send(200, {});
      }
      send(404, { message: 'nothing here' });
    })().catch(() => send(400, { message: 'the request cannot be read' }));
  });
}
