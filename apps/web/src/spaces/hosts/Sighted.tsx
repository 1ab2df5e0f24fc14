import { counted } from '@praesidor/core/words';
import type { Host, Sighting } from '@praesidor/core/model';
import { useState } from 'react';
import { useKeyring } from '../../api/queries.ts';
import { Button } from '../../parts/Button.tsx';
import { Mark } from '../../parts/Mark.tsx';
import { When } from '../../parts/When.tsx';
import { useCall } from '../../state/call.ts';
import { Own } from '../../parts/Own.tsx';

/** What answered on the management network and is nobody's yet: compare the fingerprint, accept it, list it. */
export function Sighted({ sightings, at, hosts }: { sightings: Sighting[]; at: string | undefined; hosts: readonly Host[] }) {
  const bySerial = new Map(hosts.flatMap((h) => (h.facts?.serial ? [[h.facts.serial, h.name] as const] : [])));
  const listed = new Map(hosts.flatMap((h) => (h.bmc ? [[h.bmc.address, h.name] as const] : [])));
  const knownAs = (s: Sighting) => (s.facts ? bySerial.get(s.facts.serial) : undefined);
  const keys = (useKeyring().data ?? []).filter((k) => k.use === 'bmc');
  const near = keys.find((k) => k.name.endsWith(sightings[0]?.site ?? '')) ?? keys[0];
  const [key, setKey] = useState<string>();
  const credential = key ?? near?.name ?? '';
  const [more, setMore] = useState(false);
  const others = keys.map((k) => k.name).filter((k) => k !== credential);
  const [off, setOff] = useState<Set<string>>(new Set());
  const on = (s: Sighting) => !off.has(s.address);
  const fresh = sightings.filter((s) => !s.accepted);
  const measured = sightings.filter((s) => s.accepted && s.facts && !knownAs(s));
  const refused = sightings.filter((s) => s.accepted && s.error);
  const accept = useCall<{ results: { address: string; error: string | null }[] }>(
    () => ({
      method: 'POST',
      path: '/api/hosts/accept',
      body: {
        // Another password is shown to a machine only when somebody says so; one that was refused already is not tried again.
        credential: more ? [credential, ...others].slice(0, 8) : [credential],
        addresses: [...fresh, ...refused].filter(on).map((s) => ({ address: s.address, fingerprint: s.fingerprint })),
      },
    }),
    (r) => {
      const bad = r.results.filter((x) => x.error);
      return `${r.results.length - bad.length} accepted and measured${bad.length ? `; ${bad.length} not: ${bad[0]?.error}` : ''}.`;
    },
  );
  const rejoin = useCall<{ act: number }, { host: string; address: string }>(
    (v: { host: string; address: string }) => ({ method: 'POST', path: '/api/hosts/rejoin', body: v }),
    (_, v) => `${v.host} answers at ${v.address} now.`,
  );
  const list = useCall<{ hosts: { name: string }[]; act: number }>(
    () => ({
      method: 'POST',
      path: '/api/hosts/list',
      body: {
        credential,
        hosts: measured.filter(on).map((s) => ({ address: s.address })),
      },
    }),
    (r) => `${counted(r.hosts.length, 'host')} listed.`,
  );
  return (
    <section aria-label="Sighted" className="mb-4 border-rule-2 border-b border-dashed pb-3">
      <div className="flex items-center gap-3 pb-1.5">
        <h2 className="text-lg">{fresh.length ? 'Sighted, certificates to compare' : "Sighted, nobody's yet"}</h2>
        <label className="ml-auto flex items-center gap-2 text-ink-2">
          credential{' '}
          <select
            value={credential}
            onChange={(e) => setKey(e.target.value)}
            className="border border-rule-2 bg-leaf px-1.5 py-1"
          >
            {keys.map((k) => (
              <option key={k.name}>{k.name}</option>
            ))}
          </select>
        </label>
        {others.length > 0 && (
          <label className="flex items-center gap-1.5 text-ink-2" title={others.join(', ')}>
            <input type="checkbox" checked={more} onChange={(e) => setMore(e.target.checked)} /> then the other {others.length}
          </label>
        )}
        {fresh.length > 0 && (
          <Button filled disabled={accept.isPending || !credential || !fresh.some(on)} onClick={() => accept.mutate()}>
            {accept.isPending ? 'Reading facts…' : `Accept ${fresh.filter(on).length} fingerprints`}
          </Button>
        )}
        {fresh.length === 0 && measured.length > 0 && (
          <Button filled disabled={list.isPending || !measured.some(on)} onClick={() => list.mutate()}>
            List {counted(measured.filter(on).length, 'host')}
          </Button>
        )}
      </div>
      <table className="grid-table">
        <thead>
          <tr>
            <th className="w-7">
              <span className="sr-only">take</span>
            </th>
            <th>BMC</th>
            <th>Shows the certificate (SHA-256)</th>
            <th>Is</th>
            <th>Place</th>
            <th>
              <Own>Sighted</Own>
            </th>
          </tr>
        </thead>
        <tbody>
          {sightings.map((s) => (
            <tr key={s.address} aria-selected={s.address === at}>
              <td>
                <input
                  type="checkbox"
                  aria-label={`take ${s.address}`}
                  checked={on(s)}
                  disabled={s.accepted && !s.facts}
                  onChange={() =>
                    setOff((o) => {
                      const n = new Set(o);
                      if (n.has(s.address)) n.delete(s.address);
                      else n.add(s.address);
                      return n;
                    })
                  }
                />
              </td>
              <td className="mono">
                <Mark kind="sighted" /> {s.address}
              </td>
              <td className="mono" title={s.fingerprint}>
                {s.fingerprint.slice(0, 23)}…{s.fingerprint.slice(-11)}
              </td>
              <td>
                {s.error ? (
                  <span className="text-brick">{s.error.replace(`${s.address}:443: `, '')}</span>
                ) : s.facts && knownAs(s) ? (
                  <span className="flex items-baseline gap-2">
                    is {knownAs(s)}, whose controller was elsewhere
                    <Button
                      quiet
                      className="py-0!"
                      onClick={() => rejoin.mutate({ host: knownAs(s) as string, address: s.address })}
                    >
                      Join them
                    </Button>
                  </span>
                ) : s.facts ? (
                  `${s.facts.model}, ${s.facts.serial}, ${s.facts.cores} cores, ${s.facts.memoryGiB} GiB`
                ) : (
                  <span className="text-ink-3">
                    {listed.has(s.address)
                      ? `${listed.get(s.address)}, as listed: accept its certificate`
                      : 'not asked: accept its certificate first'}
                  </span>
                )}
              </td>
              <td>{s.place?.rack ? `${s.place.name ?? ''} ${s.place.rack} u${s.place.unit}` : '?'}</td>
              <td className="mono" title={s.at}>
                <When at={s.at} />
              </td>
            </tr>
          ))}
        </tbody>
      </table>
    </section>
  );
}
