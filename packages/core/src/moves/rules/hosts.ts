import { formatIp, parsePrefix, prefixRange } from '../../address/parse.ts';
import type { MoveRule, Said } from '../move.ts';

/** Machines first: found by a sweep, accepted by their fingerprint, listed. */
export const hosts: MoveRule = ({ site, networks, hosts: here, hypervisors, sighted, short }) => {
  const q = `site=${site.name}`;
  const management = networks.find((n) => n.purpose === 'management');
  const none = !here.length && !hypervisors.length;
  if (!management || !(short || none)) return [];
  const say = (text: string, label: string, go: string): Said => ({ stage: 'hosts', text, label, go });
  const fresh = sighted.filter((s) => !s.accepted);
  const measured = sighted.filter((s) => s.accepted && s.facts);
  const r = prefixRange(parsePrefix(management.prefix));
  const range = `${formatIp({ v: r.v, n: r.first + 1n })}-${formatIp({ v: r.v, n: r.last - 1n })}`;
  return [
    ...(sighted.length
      ? []
      : [
          say(
            `${short ? `${short.subject.name} has too few hosts` : 'no host is listed'}; sweep ${management.prefix} for machines nobody has listed`,
            'Sweep for hosts',
            `/hosts?${q}&sweep=${range}`,
          ),
        ]),
    ...(fresh.length
      ? [
          say(
            `${count(fresh.length, 'controller was', 'controllers were')} sighted; compare and accept ${fresh.length === 1 ? 'its fingerprint' : 'their fingerprints'}`,
            'Accept',
            `/hosts?${q}`,
          ),
        ]
      : []),
    ...(measured.length
      ? [say(`${count(measured.length, 'measured host is', 'measured hosts are')} not listed yet`, 'List them', `/hosts?${q}`)]
      : []),
  ];
};

const count = (n: number, one: string, many: string) => `${n} ${n === 1 ? one : many}`;
