import { parse } from 'yaml';

/** What systemd-networkd makes of its files (systemd.network(5), systemd.netdev(5)). */
type Section = Record<string, string[]>;

function read(text: string): Record<string, Section> {
  const out: Record<string, Section> = {};
  let section: Section = {};
  for (const line of text.split('\n').map((l) => l.trim())) {
    const head = /^\[(\w+)\]$/.exec(line)?.[1];
    if (head) {
      section = out[head] ?? {};
      out[head] = section;
      continue;
    }
    const [, key, value] = /^(\w+)=(.*)$/.exec(line) ?? [];
    if (key && value !== undefined) section[key] = [...(section[key] ?? []), value];
  }
  return out;
}

/**
 * The network with an address, and the adapters that carry it: matched by their own address, as the bond that names it, or below its tag.
 * Files are taken in the order of their names; undefined: none gives an address to anything that there is.
 */
export function networkOf(files: Record<string, string>): { macs: string[]; address: string; nameservers: string[] } | undefined {
  const parsed = (suffix: string) =>
    Object.keys(files)
      .filter((f) => f.startsWith('/etc/systemd/network/') && f.endsWith(suffix))
      .sort()
      .map((f) => read(files[f] ?? ''));
  const networks = parsed('.network');
  const devices = parsed('.netdev');
  const macsOf = (n: Record<string, Section>): string[] => {
    const own = n.Match?.PermanentMACAddress ?? n.Match?.MACAddress;
    if (own) return own;
    const name = n.Match?.Name?.[0];
    const kind = devices.find((d) => d.NetDev?.Name?.[0] === name)?.NetDev?.Kind?.[0];
    // A device that no file makes is never there.
    const key = kind === 'bond' ? 'Bond' : kind === 'vlan' ? 'VLAN' : undefined;
    return key ? networks.filter((x) => x.Network?.[key]?.includes(name ?? '')).flatMap(macsOf) : [];
  };
  for (const n of networks) {
    const address = n.Network?.Address?.[0];
    const macs = address ? macsOf(n) : [];
    if (address && macs.length) return { macs, address: address.split('/')[0] as string, nameservers: n.Network?.DNS ?? [] };
  }
  return undefined;
}

interface Interface {
  match?: { macaddress?: string };
  addresses?: string[];
  interfaces?: string[];
  link?: string;
}
/** Adapters to which a network configuration, version 2, gives an address: by themselves, in a bond, or below a tag. */
export function configuredMacs(text: string): string[] {
  type Config = { version?: number } & Partial<Record<'ethernets' | 'bonds' | 'vlans', Record<string, Interface>>>;
  const { network } = (parse(text) ?? {}) as { network?: Config };
  if (network?.version !== 2) return [];
  const all = { ...network.ethernets, ...network.bonds, ...network.vlans };
  const macsBelow = (name: string, depth = 0): string[] => {
    const i = all[name];
    if (!i || depth > 3) return [];
    if (i.match?.macaddress) return [i.match.macaddress];
    return [...(i.interfaces ?? []), ...(i.link ? [i.link] : [])].flatMap((below) => macsBelow(below, depth + 1));
  };
  return Object.entries(all).flatMap(([name, i]) => (i.addresses?.length ? macsBelow(name) : []));
}
