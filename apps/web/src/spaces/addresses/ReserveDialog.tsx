import { consecutive, isIp, parseIp, spaceOf } from '@praesidor/core/address';
import type { Estate, Network } from '@praesidor/core/model';
import { useState } from 'react';
import { api, ApiError } from '../../api/client.ts';
import { Button } from '../../parts/Button.tsx';
import { Dialog } from '../../parts/Dialog.tsx';
import { Field, Input } from '../../parts/Fields.tsx';
import { Refused } from '../../parts/Refused.tsx';
import { useAct } from '../../state/act.ts';
import { isInside } from './cells.ts';

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
  const [count, setCount] = useState(Math.max(1, chosen.length));
  const [address, setAddress] = useState(chosen[0] ?? '');
  const [name, setName] = useState('');
  const [mac, setMac] = useState('');
  const [owner, setOwner] = useState('');
  const host = estate.hosts.find((h) => h.name === owner && h.site === network.site);
  const hostMac = host?.facts?.nics.find((n) => n.link)?.mac;
  const taken = estate.reservations.filter((r) => r.network === network.name).map((r) => r.address);
  const start = spaceOf(network, taken).freeBlock(count);
  const follows = start ? consecutive(start, count) : [];
  const named = address && isIp(address) && isInside(network, address) ? consecutive(parseIp(address), count) : [];
  const domain = estate.sites.find((s) => s.name === network.site)?.domain ?? '';
  const full = name && !name.includes('.') ? `${name}.${domain}` : name;
  const result = address ? named : follows;
  const clash = result.find((a) => taken.includes(a));
  const reserve = useAct(
    () =>
      api<{ reservations: { address: string }[]; act: number }>('POST', '/api/addresses/reserve', {
        network: network.name,
        count,
        ...(address ? { address } : {}),
        ...(full ? { name: full } : {}),
        ...(mac || (count === 1 && hostMac) ? { mac: mac || hostMac } : {}),
        owner: host ? { kind: 'host', name: host.name, use: 'by-hand' } : { kind: 'hand', name: owner },
      }),
    (r) => `Reserved ${r.reservations.map((x) => x.address).join(', ')}.`,
  );
  const place = reserve.error instanceof ApiError ? reserve.error.places : [];
  return (
    <Dialog
      open
      onClose={onClose}
      title={`Reserve in ${network.name}`}
      about={<span className="mono">{network.prefix}</span>}
      acts={
        <>
          <Button onClick={onClose}>Leave it</Button>
          <Button
            filled
            disabled={reserve.isPending || result.length === 0 || !owner}
            onClick={() => reserve.mutate(undefined, { onSuccess: onClose })}
          >
            Reserve {result.length > 1 ? `${result.length} addresses` : (result[0] ?? '')}
          </Button>
        </>
      }
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
        wrong={
          address && !named.length ? `not an address in ${network.prefix}` : clash ? `${clash} is reserved already` : undefined
        }
        hint={
          address ? (
            ''
          ) : (
            <span className="follows">
              ↳{' '}
              {follows[0]
                ? `${follows[0]}${count > 1 ? ` – ${follows.at(-1)}` : ''}, the lowest free outside scopes and pools`
                : 'there is no such free run'}
            </span>
          )
        }
      >
        {(id) => (
          <Input id={id} value={address} placeholder="next free" onChange={(e) => setAddress(e.target.value)} className="mono" />
        )}
      </Field>
      <Field
        label="Name"
        wrong={place.find((p) => p.path === 'name')?.message}
        hint={
          full && result[0] ? (
            <span className="follows">
              ↳ {full.replace(/^([^.]+)/, count > 1 ? '$1-1' : '$1')} A {result[0]}, and back
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
      <Refused error={reserve.error} />
    </Dialog>
  );
}
