import { formatPrefix, nextPrefix, parsePrefix, prefixRange, spaceOf } from '@praesidor/core/address';
import type { Estate, Network } from '@praesidor/core/model';
import { useMemo } from 'react';

export const purposes = ['machine', 'management', 'provisioning', 'storage', 'tunnel', 'uplink', 'service', 'client'] as const;

/** How much of each network is reserved, 0 to 1. */
export function useFullness(networks: readonly Network[], estate: Estate | undefined): Map<string, number> {
  return useMemo(() => {
    const by = new Map<string, string[]>();
    for (const r of estate?.reservations ?? []) {
      const list = by.get(r.network);
      if (list) list.push(r.address);
      else by.set(r.network, [r.address]);
    }
    return new Map(networks.map((n) => [n.name, spaceOf({ ...n, dhcp: [], pools: [] }, by.get(n.name) ?? []).fullness()]));
  }, [networks, estate]);
}

/** The networks of the scope by purpose, those carved out of another under it. */
export function Networks({
  networks,
  estate,
  chosen,
  onChoose,
  showSite,
}: {
  networks: Network[];
  estate: Estate;
  chosen: string;
  onChoose: (n: string) => void;
  showSite: boolean;
}) {
  const full = useFullness(networks, estate);
  const first = networks.find((n) => n.purpose === 'machine') ?? networks[0];
  const here = new Set(networks.map((n) => n.name));
  const below = (n: Network, depth: number): { n: Network; depth: number }[] => [
    { n, depth },
    ...(depth < 8 ? networks.filter((c) => c.parent === n.name).flatMap((c) => below(c, depth + 1)) : []),
  ];
  const next =
    first &&
    !showSite &&
    nextPrefix(
      parsePrefix(first.prefix),
      networks.map((n) => prefixRange(parsePrefix(n.prefix))),
    );
  return (
    <nav aria-label="Networks">
      {purposes
        .filter((p) => networks.some((n) => n.purpose === p))
        .map((p) => (
          <div key={p} className="pb-2">
            <h2 className="pb-1 text-md first-letter:uppercase">{p}</h2>
            {networks
              .filter((n) => n.purpose === p && !(n.parent && here.has(n.parent)))
              .flatMap((n) => below(n, 0))
              .map(({ n, depth }) => (
                <Entry
                  key={n.name}
                  network={n}
                  depth={depth}
                  full={full.get(n.name) ?? 0}
                  chosen={n.name === chosen}
                  onChoose={onChoose}
                />
              ))}
          </div>
        ))}
      {next && (
        <div className="pt-2 text-ink-3 text-sm">
          Next free /{next.length} at this site
          <div className="mono follows">↳ {formatPrefix(next)}</div>
        </div>
      )}
    </nav>
  );
}

function Entry({
  network: n,
  depth,
  full,
  chosen,
  onChoose,
}: {
  network: Network;
  depth: number;
  full: number;
  chosen: boolean;
  onChoose: (n: string) => void;
}) {
  return (
    <button
      type="button"
      data-row
      data-edit={`Network ${n.name}`}
      onClick={() => onChoose(n.name)}
      aria-current={chosen}
      style={{ paddingLeft: 10 + depth * 12 }}
      className={`block w-full py-1 pr-2.5 text-left ${chosen ? 'lit' : ''}`}
    >
      <span className="flex justify-between">
        {n.name}
        <span>{n.vlan}</span>
      </span>
      <span className="mono flex justify-between text-[11.5px]! text-ink-2">
        <span className="truncate">{n.prefix}</span>
        <span>{full > 0 && full < 0.005 ? '<1' : Math.round(full * 100)} %</span>
      </span>
      <span className="mt-0.5 block h-[3px] bg-rule-2/40">
        <span className={`block h-full ${full > 0.7 ? 'bg-ochre' : 'bg-slate'}`} style={{ width: `${full * 100}%` }} />
      </span>
    </button>
  );
}
