import { choose, spaceFor, spokenFor, type Wish } from '@praesidor/core/ledger';
import type { Estate, Network } from '@praesidor/core/model';
import { useMemo, useState } from 'react';
import { ApiError } from '../../api/client.ts';
import { Button } from '../../parts/Button.tsx';
import { Dialog } from '../../parts/Dialog.tsx';
import { Field, Input } from '../../parts/Fields.tsx';
import { Refused } from '../../parts/Refused.tsx';
import { useCall } from '../../state/call.ts';

const ways = [
  ['lowest', 'the lowest'],
  ['highest', 'the highest'],
  ['spread', 'apart from the others'],
] as const;
const select = 'border border-rule-2 bg-leaf px-2 py-1';
const isAddress = (text: string) => /^[0-9a-f.:]+$/i.test(text) && text.length > 1;

/** One address or several in a row: the next free ones, or those named; the records follow from the name. */
export function ReserveDialog({
  network,
  estate,
  chosen,
  onClose,
}: {
  network: Network;
  estate: Estate;
  chosen: string[];
  onClose: () => void;
}) {
  const [count, setCount] = useState(Math.min(256, Math.max(1, chosen.length)));
  const [address, setAddress] = useState(chosen[0] ?? '');
  const [how, setHow] = useState<NonNullable<Wish['how']>>('lowest');
  const [align, setAlign] = useState(1);
  const [pool, setPool] = useState('');
  const [name, setName] = useState('');
  const [mac, setMac] = useState('');
  const [owner, setOwner] = useState('');
  const [until, setUntil] = useState('');
  const host = estate.hosts.find((h) => h.name === owner && h.site === network.site);
  const hostMac = host?.facts?.nics.find((n) => n.link)?.mac;
  const wish = useMemo<Wish>(
    () => ({
      count,
      ...(address ? { address } : { how, ...(align > 1 && how === 'lowest' ? { align } : {}), ...(pool ? { pool } : {}) }),
    }),
    [count, address, how, align, pool],
  );
  const { result, refused } = useMemo(() => {
    if (wish.address && !isAddress(wish.address)) return { result: [], refused: 'not an address' };
    try {
      const taken = estate.reservations.filter((r) => r.network === network.name).map((r) => r.address);
      const found = choose(network, spaceFor(network, taken, spokenFor(estate, network), wish.pool), wish);
      return 'refused' in found ? { result: [], refused: found.message } : { result: found.addresses, refused: undefined };
    } catch (e) {
      return { result: [], refused: (e as Error).message };
    }
  }, [estate, network, wish]);
  const held = new Map(estate.reservations.filter((r) => r.network === network.name && !r.resting).map((r) => [r.address, r]));
  const clash = result.find((a) => held.has(a));
  const domain = estate.sites.find((s) => s.name === network.site)?.domain ?? '';
  const full = name && !name.includes('.') ? `${name}.${domain}` : name;
  const reserve = useCall<{ reservations: { address: string }[]; act: number }>(
    () => ({
      method: 'POST',
      path: '/api/addresses/reserve',
      body: {
        network: network.name,
        ...wish,
        ...(full ? { name: full } : {}),
        ...(mac || (count === 1 && hostMac) ? { mac: mac || hostMac } : {}),
        ...(until ? { until: new Date(`${until}T23:59:59Z`).toISOString() } : {}),
        owner: host ? { kind: 'host', name: host.name, use: 'by-hand' } : { kind: 'hand', name: owner },
      },
    }),
    (r) =>
      `Reserved ${r.reservations.length > 4 ? `${r.reservations.length} addresses from ${r.reservations[0]?.address}` : r.reservations.map((x) => x.address).join(', ')}.`,
  );
  const place = reserve.error instanceof ApiError ? reserve.error.places : [];
  const span = result.length > 1 ? `${result[0]} – ${result.at(-1)}` : result[0];
  const pools = [...network.pools, ...network.dhcp];
  return (
    <Dialog
      open
      onClose={onClose}
      title={`Reserve in ${network.name}`}
      about={<span className="mono">{network.prefix}</span>}
      acts={
        <>
          <Button onClick={onClose}>Cancel</Button>
          <Button
            filled
            disabled={reserve.isPending || result.length === 0 || clash !== undefined || !owner}
            onClick={() => reserve.mutate(undefined, { onSuccess: onClose })}
          >
            Reserve {result.length > 1 ? `${result.length} addresses` : (result[0] ?? '')}
          </Button>
        </>
      }
      same={reserve.call}
    >
      <Field label="How many">
        {(id) => (
          <Input
            id={id}
            type="number"
            min={1}
            max={256}
            value={count}
            onChange={(e) => setCount(Math.max(1, Math.min(256, Number(e.target.value) || 1)))}
            className="w-24!"
          />
        )}
      </Field>
      <Field
        label={count > 1 ? 'First address' : 'Address'}
        wrong={refused ?? (clash ? `${clash} is reserved already, for ${held.get(clash)?.owner.name}` : undefined)}
        hint={
          address ? (
            ''
          ) : (
            <span className="follows">
              ↳ {span}
              {how === 'lowest' && !pool ? ', the lowest free outside scopes and pools' : ''}
            </span>
          )
        }
      >
        {(id) => (
          <Input
            id={id}
            value={address}
            placeholder="next free"
            onChange={(e) => setAddress(e.target.value.trim())}
            className="mono"
          />
        )}
      </Field>
      {!address && (
        <Field label="Which">
          {(id) => (
            <div className="flex flex-wrap gap-2">
              <select
                id={id}
                aria-label="Which of the free ones"
                value={how}
                onChange={(e) => setHow(e.target.value as never)}
                className={select}
              >
                {ways.map(([k, text]) => (
                  <option key={k} value={k} disabled={k === 'highest' && count > 1}>
                    {text}
                  </option>
                ))}
              </select>
              {how === 'lowest' && (
                <select
                  aria-label="Beginning at a multiple of"
                  value={align}
                  onChange={(e) => setAlign(Number(e.target.value))}
                  className={select}
                >
                  <option value={1}>anywhere</option>
                  {[4, 8, 16, 32, 64].map((n) => (
                    <option key={n} value={n}>
                      from a multiple of {n}
                    </option>
                  ))}
                </select>
              )}
              {pools.length > 0 && (
                <select aria-label="Pool" value={pool} onChange={(e) => setPool(e.target.value)} className={select}>
                  <option value="">outside scopes and pools</option>
                  {pools.map((p) => (
                    <option key={p.name} value={p.name}>
                      out of {p.name}, {p.range}
                    </option>
                  ))}
                </select>
              )}
            </div>
          )}
        </Field>
      )}
      <Field
        label="Name"
        wrong={place.find((p) => p.path === 'name')?.message}
        hint={
          full && result[0] ? (
            <span className="follows">
              ↳ {full.replace(/^([^.]+)/, count > 1 ? '$1-1' : '$1')} {result[0].includes(':') ? 'AAAA' : 'A'} {result[0]}, and
              back
            </span>
          ) : (
            'without one, no records follow'
          )
        }
      >
        {(id) => <Input id={id} value={name} onChange={(e) => setName(e.target.value.trim().toLowerCase())} />}
      </Field>
      {count === 1 && (
        <Field
          label="MAC"
          wrong={place.find((p) => p.path === 'mac')?.message}
          hint={
            hostMac && !mac ? (
              <span className="follows">
                ↳ {hostMac}, the linked adapter of {host?.name}
              </span>
            ) : (
              'binds the address for DHCP'
            )
          }
        >
          {(id) => (
            <Input
              id={id}
              value={mac}
              placeholder={hostMac ? 'follows' : ''}
              onChange={(e) => setMac(e.target.value.trim())}
              className="mono"
            />
          )}
        </Field>
      )}
      <Field
        label="For whom"
        hint={
          host ? (
            <span className="follows">↳ bound to the host {host.name}</span>
          ) : (
            'a host of this site, or the service or desk to ask about it'
          )
        }
      >
        {(id) => (
          <>
            <Input id={id} value={owner} list={`${id}-hosts`} onChange={(e) => setOwner(e.target.value.trimStart())} />
            <datalist id={`${id}-hosts`}>
              {estate.hosts
                .filter((h) => h.site === network.site)
                .map((h) => (
                  <option key={h.name} value={h.name} />
                ))}
            </datalist>
          </>
        )}
      </Field>
      <Field label="Until" hint="empty: it has no end">
        {(id) => <Input id={id} type="date" value={until} onChange={(e) => setUntil(e.target.value)} className="w-40!" />}
      </Field>
      <Refused error={reserve.error} />
    </Dialog>
  );
}
